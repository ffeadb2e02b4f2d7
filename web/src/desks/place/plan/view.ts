/** How the room is drawn: from above, left is left and the front is up; from the side, the front is left and up is up. */
import { clamp } from "@/domain/format";
import type { Place } from "@/session/room";

export interface RoomView {
  side: boolean;
  /** The middle of the picture, and pixels from it to the room's edge. */
  cx: number;
  cy: number;
  unit: number;
  x: (place: Place) => number;
  y: (place: Place) => number;
  /** Where a pointer is: the two coordinates that this view shows. */
  at: (px: number, py: number) => { across: number; along: number };
}

/** Room left around the square for names, in pixels. */
const MARGIN = 46;

export function roomView(width: number, height: number, side: boolean): RoomView {
  const unit = Math.max((Math.min(width, height) - 2 * MARGIN) / 2, 40);
  const [cx, cy] = [width / 2, height / 2];
  return {
    side,
    cx,
    cy,
    unit,
    x: (place) => cx + (side ? -place[1] : place[0] * drawnIn(place)) * unit,
    y: (place) => cy - (side ? place[2] : place[1] * drawnIn(place)) * unit,
    at: (px, py) => {
      const [across, along] = [clamp((px - cx) / unit, -1, 1), clamp((cy - py) / unit, -1, 1)];
      return { across: side ? -across : across, along };
    },
  };
}

/** What is above is drawn nearer to the middle, as one sees it from below; what is below, farther out. */
const INWARDS = 0.22;
const drawnIn = (place: Place): number => 1 - INWARDS * clamp(place[2], -0.6, 1);

/** A place's foot: where it would be at the ear's height. */
export const footOf = (place: Place): Place => [place[0], place[1], 0];

/** A petal from a speaker towards the listener: as long as its gain, in pixels. */
export function petal(x: number, y: number, cx: number, cy: number, gain: number, unit: number): string {
  const long = gain * unit * 0.62;
  const away = Math.hypot(cx - x, cy - y) || 1;
  const [dx, dy] = [(cx - x) / away, (cy - y) / away];
  const wide = Math.min(4 + long * 0.2, 20);
  const [ex, ey, mx, my] = [x + dx * long, y + dy * long, x + dx * long * 0.55, y + dy * long * 0.55];
  return (
    `M${x.toFixed(1)} ${y.toFixed(1)}` +
    `Q${(mx - dy * wide).toFixed(1)} ${(my + dx * wide).toFixed(1)} ${ex.toFixed(1)} ${ey.toFixed(1)}` +
    `Q${(mx + dy * wide).toFixed(1)} ${(my - dx * wide).toFixed(1)} ${x.toFixed(1)} ${y.toFixed(1)}Z`
  );
}
