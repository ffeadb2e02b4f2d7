/** Where a lane is at a moment, looked up in the shape tables that the core made. */
import { must } from "./must";
import type { Point, ShapeTables } from "./model";

/** Progress 0…1 at a share of the way; of an ease that was cut, along the part that is left. */
function progress(tables: ShapeTables, point: Point, share: number): number {
  const [begins, ends] = [point.shape_start ?? 0, point.shape_end ?? 1];
  if (point.shape !== "ease" || (begins === 0 && ends === 1)) return whole(tables, point, share);
  const [low, here, high] = [begins, begins + (ends - begins) * share, ends].map((at) =>
    whole(tables, point, at),
  ) as [number, number, number];
  return high - low > 1e-12 ? (here - low) / (high - low) : share;
}

function whole(tables: ShapeTables, point: Point, share: number): number {
  const rows = tables.shapes[point.shape];
  if (!rows) return share;
  const row = rows[Math.round(((point.tension + 1) / 2) * (rows.length - 1))] ?? must(rows[0]);
  const place = share * (tables.steps - 1);
  const low = Math.min(Math.floor(place), tables.steps - 2);
  return must(row[low]) + (must(row[low + 1]) - must(row[low])) * (place - low);
}

/** A lane's points with everything from one time to another (both included) replaced. */
export const replaced = (points: Point[], start: number, end: number, fresh: Point[]): Point[] => [
  ...points.filter((point) => point.t < start),
  ...fresh,
  ...points.filter((point) => point.t > end),
];

/** The index of the last point at or before a time, -1 before the first. */
export function pointBefore(points: Point[], at: number): number {
  let low = -1;
  let high = points.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (must(points[middle]).t <= at) low = middle;
    else high = middle - 1;
  }
  return low;
}

/** The lane's value at a time; it has at least one point. */
export function laneValue(tables: ShapeTables, points: Point[], at: number): number {
  const index = pointBefore(points, at);
  const point = must(points[Math.max(index, 0)]);
  const next = points[index + 1];
  if (index < 0 || !next) return point.value;
  return (
    point.value + (next.value - point.value) * progress(tables, point, (at - point.t) / (next.t - point.t))
  );
}

/** The lane between two times as corner points of a line: [time, value], jumps as two at one time. */
export function lanePath(
  tables: ShapeTables,
  points: Point[],
  from: number,
  to: number,
  step: number,
): [number, number][] {
  const path: [number, number][] = [[from, laneValue(tables, points, from)]];
  for (let i = Math.max(pointBefore(points, from), 0); i < points.length; i += 1) {
    const point = must(points[i]);
    const next = points[i + 1];
    if (point.t > to) break;
    if (point.t >= from) path.push([point.t, point.value]);
    if (!next) break;
    if (point.shape === "hold") {
      if (next.t > from) path.push([Math.min(next.t, to), point.value]);
    } else if (point.shape !== "straight") {
      for (let at = Math.max(point.t, from) + step; at < Math.min(next.t, to); at += step)
        path.push([at, laneValue(tables, points, at)]);
    }
  }
  path.push([to, laneValue(tables, points, to)]);
  return path;
}
