/** The shapes between points, in the order in which a key goes through them. */
import type { Point } from "@/domain/model";

export const SHAPES: Point["shape"][] = ["ease", "straight", "curve", "hold"];

/** A point with another shape, whole again. */
export const reshaped = (point: Point, shape: Point["shape"]): Point => ({
  ...point,
  shape,
  shape_start: 0,
  shape_end: 1,
});

/** A point whose shape is a curve of more or less tension. */
export const bent = (point: Point, by: number): Point => ({
  ...reshaped(point, "curve"),
  tension:
    Math.round(Math.min(Math.max((point.shape === "curve" ? point.tension : 0) + by, -1), 1) * 10) / 10,
});
