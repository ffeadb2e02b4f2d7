/** Draws the chart's paper: its grid, and the ribbon of the lean. */
import { must } from "@/domain/must";
import type { Grid } from "@/domain/grid";
import type { Schemas } from "@/domain/model";
import { alpha, palette } from "@/ui/palette";
import type { Axis } from "./axis";

/** What lies under everything: where on the time and on the axis, and the lean. */
export interface Paper {
  width: number;
  height: number;
  top: number;
  scale: number;
  axis: Axis;
  grid: Grid;
  length: number;
  lean: Schemas["OverviewOut"] | null;
  /** Parts of a beat that points snap to, to be seen where there is room; and how a time is written. */
  parts?: number;
  clock?: (at: number) => string;
}

/** The lean at which the ribbon reaches either edge (dB). */
export const LEAN_SCALE_DB = 6;

export const leanX = (axis: Axis, lean: number): number =>
  axis.x(Math.max(-1, Math.min(1, lean / LEAN_SCALE_DB)));

/** The paper itself: the grid, and on the lateral field the ribbon of the lean. */
export function paintPaper(canvas: CanvasRenderingContext2D, scene: Paper): void {
  const y = placing(scene);
  paintGrid(canvas, scene, y);
  if (must(scene.axis.ticks[0]).value === -1) paintLean(canvas, scene, y);
}

/** The place of a time on the paper. */
export const placing =
  (scene: Paper): ((at: number) => number) =>
  (at) =>
    (at - scene.top) * scene.scale;

export function paintGrid(canvas: CanvasRenderingContext2D, scene: Paper, y: (at: number) => number): void {
  const [from, to] = [must(scene.axis.ticks[0]), must(scene.axis.ticks.at(-1))].map((tick) =>
    scene.axis.x(tick.value),
  );
  const bottom = Math.min(scene.height, y(scene.length));
  canvas.lineWidth = 1;
  for (const tick of scene.axis.ticks) {
    canvas.strokeStyle = palette.rule;
    stroke(canvas, [
      [scene.axis.x(tick.value), Math.max(0, y(0))],
      [scene.axis.x(tick.value), bottom],
    ]);
  }
  const beatPixels = scene.scale * beatSeconds(scene.grid);
  const barPixels = beatPixels * (scene.grid.bars[0]?.times.length ?? 4);
  const every = [1, 2, 4, 8, 16].find((bars) => bars * barPixels > 16) ?? 32;
  canvas.font = '11px "IBM Plex Mono", monospace';
  canvas.textBaseline = "middle";
  if (scene.parts && beatPixels / scene.parts > 7) paintParts(canvas, scene, y, must(from), must(to));
  for (const beat of scene.grid.beats) {
    const at = y(beat.at);
    if (at < -20 || at > scene.height + 20) continue;
    const first = beat.beat === 1;
    if (first ? (beat.bar - 1) % every !== 0 : beatPixels < 8) continue;
    canvas.strokeStyle = first ? palette.ruleStrong : palette.faint;
    stroke(canvas, [
      [must(from), at],
      [must(to), at],
    ]);
    if (!first) continue;
    canvas.fillStyle = palette.quiet;
    canvas.textAlign = "right";
    canvas.fillText(String(beat.bar), must(from) - 6, at);
    if (!scene.clock || every * barPixels < 30) continue;
    canvas.globalAlpha = 0.75;
    canvas.fillText(scene.clock(beat.at), must(to) - 4, at + 9);
    canvas.globalAlpha = 1;
  }
  const centre = must(scene.axis.ticks.find((tick) => tick.value === 0));
  canvas.strokeStyle = palette.ink;
  canvas.globalAlpha = 0.55;
  stroke(canvas, [
    [scene.axis.x(centre.value), Math.max(0, y(0))],
    [scene.axis.x(centre.value), bottom],
  ]);
  canvas.globalAlpha = 1;
}

/** How long a beat is on the whole (s). */
export function beatSeconds(grid: Grid): number {
  const [first, last] = [grid.beats[0], grid.beats.at(-1)];
  return first && last && grid.beats.length > 1 ? (last.at - first.at) / (grid.beats.length - 1) : 0.5;
}

function paintParts(
  canvas: CanvasRenderingContext2D,
  scene: Paper,
  y: (at: number) => number,
  from: number,
  to: number,
): void {
  const { beats } = scene.grid;
  canvas.strokeStyle = palette.faint;
  canvas.setLineDash([1, 3]);
  for (let i = 0; i + 1 < beats.length; i += 1) {
    const [here, next] = [must(beats[i]).at, must(beats[i + 1]).at];
    if (y(next) < 0 || y(here) > scene.height) continue;
    for (let part = 1; part < must(scene.parts); part += 1) {
      const at = y(here + ((next - here) * part) / must(scene.parts));
      stroke(canvas, [
        [from, at],
        [to, at],
      ]);
    }
  }
  canvas.setLineDash([]);
}

/** The ribbon is filled from the centre towards the side the mix leans to, stronger where it leans too long. */
export function paintLean(canvas: CanvasRenderingContext2D, scene: Paper, y: (at: number) => number): void {
  const { lean, axis } = scene;
  if (!lean) return;
  const first = Math.max(Math.floor(scene.top / lean.hop) - 1, 0);
  const last = Math.min(Math.ceil((scene.top + scene.height / scene.scale) / lean.hop) + 1, lean.long.length);
  const centre = axis.x(0);
  const outside = (at: number): boolean => lean.stretches.some((one) => at >= one.start && at < one.end);
  let start = first;
  while (start < last) {
    const value = lean.long[start];
    if (value === null || value === undefined) {
      start += 1;
      continue;
    }
    const strong = outside((start + 0.5) * lean.hop);
    const side = Math.sign(value);
    let end = start;
    while (end < last && lean.long[end] !== null && Math.sign(must(lean.long[end])) === side) {
      if (outside((end + 0.5) * lean.hop) !== strong) break;
      end += 1;
    }
    const edge: [number, number][] = [];
    for (let i = start; i <= Math.min(end, last - 1); i += 1) {
      const here = lean.long[i];
      const joined = here !== null && here !== undefined && Math.sign(here) === side;
      edge.push([joined ? leanX(axis, here) : centre, y((i + 0.5) * lean.hop)]);
    }
    const colour = side < 0 ? palette.left : palette.right;
    canvas.fillStyle = alpha(colour, strong ? 0.24 : 0.11);
    canvas.beginPath();
    canvas.moveTo(centre, must(edge[0])[1]);
    edge.forEach(([px, py]) => canvas.lineTo(px, py));
    canvas.lineTo(centre, must(edge.at(-1))[1]);
    canvas.fill();
    canvas.strokeStyle = alpha(colour, strong ? 0.95 : 0.5);
    canvas.setLineDash(strong ? [] : [2, 2]);
    stroke(canvas, edge);
    canvas.setLineDash([]);
    start = Math.max(end, start + 1);
  }
}

/** A lean over time as a line of its own, broken where there is nothing to say. */
export function paintCurve(
  canvas: CanvasRenderingContext2D,
  scene: Paper,
  values: (number | null)[],
  hop: number,
  look: { colour: string; width: number; dash: number[] },
  y: (at: number) => number,
): void {
  const first = Math.max(Math.floor(scene.top / hop) - 1, 0);
  const last = Math.min(Math.ceil((scene.top + scene.height / scene.scale) / hop) + 1, values.length);
  canvas.strokeStyle = look.colour;
  canvas.lineWidth = look.width;
  canvas.setLineDash(look.dash);
  let path: [number, number][] = [];
  for (let i = first; i <= last; i += 1) {
    const value = values[i];
    if (i < last && value !== null && value !== undefined)
      path.push([leanX(scene.axis, value), y((i + 0.5) * hop)]);
    else if (path.length) {
      stroke(canvas, path);
      path = [];
    }
  }
  canvas.setLineDash([]);
}

export function stroke(canvas: CanvasRenderingContext2D, path: [number, number][]): void {
  canvas.beginPath();
  path.forEach(([x, y], i) => (i ? canvas.lineTo(x, y) : canvas.moveTo(x, y)));
  canvas.stroke();
}
