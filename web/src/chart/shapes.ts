/** The shapes between points, in the order in which a key goes through them. */
export const SHAPES = ["ease", "straight", "curve", "hold"];
