/** The shapes between points, in the order in which a key goes through them. */
import type { Point } from "@/geometry/lanes";

export const SHAPES: Point["shape"][] = ["ease", "straight", "curve", "hold"];
