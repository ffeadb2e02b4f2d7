/** Draws the chart's paper: grid, ribbon of the lean, and every source's line. */
import type { Schemas } from "@/api/http";
import { lanePath, laneValue, type Point, type ShapeTables } from "@/geometry/lanes";
import type { Grid } from "@/geometry/time";
import type { Axis } from "./axis";

export interface Line {
  colour: string;
  chosen: boolean;
  /** Sounds for nobody: muted. */
  silent: boolean;
  points: Point[];
  /** Where it stands without points. */
  value: number;
  /** What its group adds to its place. */
  shift: number;
  /** Half the width that it covers, where it is spread over a span. */
  spread?: Line;
}

export interface Scene {
  width: number;
  height: number;
  ratio: number;
  top: number;
  scale: number;
  axis: Axis;
  grid: Grid;
  length: number;
  shapes: ShapeTables;
  lines: Line[];
  lean: Schemas["LeanOut"] | null;
}

const COLOURS = {
  rule: "#cfdcd3",
  strong: "#b4c8bc",
  faint: "#e4e8dd",
  ink: "#20262b",
  quiet: "#5a6664",
  left: "180,83,42",
  right: "31,111,120",
};

/** The lean at which the ribbon reaches either edge (dB). */
export const LEAN_SCALE_DB = 6;

export const leanX = (axis: Axis, lean: number): number =>
  axis.x(Math.max(-1, Math.min(1, lean / LEAN_SCALE_DB)));

export function paint(canvas: CanvasRenderingContext2D, scene: Scene): void {
  canvas.setTransform(scene.ratio, 0, 0, scene.ratio, 0, 0);
  canvas.clearRect(0, 0, scene.width, scene.height);
  const y = (at: number): number => (at - scene.top) * scene.scale;
  paintGrid(canvas, scene, y);
  if (scene.axis.ticks[0]!.value === -1) paintLean(canvas, scene, y);
  const order = [...scene.lines].sort((a, b) => Number(a.chosen) - Number(b.chosen));
  for (const line of order) paintLine(canvas, scene, line, y);
}

function paintGrid(canvas: CanvasRenderingContext2D, scene: Scene, y: (at: number) => number): void {
  const [from, to] = [scene.axis.ticks[0]!, scene.axis.ticks.at(-1)!].map((tick) => scene.axis.x(tick.value));
  const bottom = Math.min(scene.height, y(scene.length));
  canvas.lineWidth = 1;
  for (const tick of scene.axis.ticks) {
    canvas.strokeStyle = COLOURS.rule;
    stroke(canvas, [
      [scene.axis.x(tick.value), Math.max(0, y(0))],
      [scene.axis.x(tick.value), bottom],
    ]);
  }
  const beatPixels = scene.scale * 0.6;
  const barPixels = beatPixels * 4;
  const every = barPixels > 16 ? 1 : barPixels > 8 ? 2 : barPixels > 4 ? 4 : 8;
  canvas.font = '11px "IBM Plex Mono", monospace';
  canvas.textAlign = "right";
  canvas.textBaseline = "middle";
  for (const beat of scene.grid.beats) {
    const at = y(beat.at);
    if (at < -20 || at > scene.height + 20) continue;
    const first = beat.beat === 1;
    if (first ? (beat.bar - 1) % every !== 0 : beatPixels < 8) continue;
    canvas.strokeStyle = first ? COLOURS.strong : COLOURS.faint;
    stroke(canvas, [
      [from!, at],
      [to!, at],
    ]);
    if (!first) continue;
    canvas.fillStyle = COLOURS.quiet;
    canvas.fillText(String(beat.bar), from! - 6, at);
  }
  const centre = scene.axis.ticks.find((tick) => tick.value === 0)!;
  canvas.strokeStyle = COLOURS.ink;
  canvas.globalAlpha = 0.55;
  stroke(canvas, [
    [scene.axis.x(centre.value), Math.max(0, y(0))],
    [scene.axis.x(centre.value), bottom],
  ]);
  canvas.globalAlpha = 1;
}

/** The ribbon is filled from the centre towards the side the mix leans to, stronger where it leans too long. */
function paintLean(canvas: CanvasRenderingContext2D, scene: Scene, y: (at: number) => number): void {
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
    while (end < last && lean.long[end] !== null && Math.sign(lean.long[end]!) === side) {
      if (outside((end + 0.5) * lean.hop) !== strong) break;
      end += 1;
    }
    const edge: [number, number][] = [];
    for (let i = start; i <= Math.min(end, last - 1); i += 1) {
      const here = lean.long[i];
      const joined = here !== null && here !== undefined && Math.sign(here) === side;
      edge.push([joined ? leanX(axis, here) : centre, y((i + 0.5) * lean.hop)]);
    }
    const colour = side < 0 ? COLOURS.left : COLOURS.right;
    canvas.fillStyle = `rgba(${colour},${strong ? 0.24 : 0.11})`;
    canvas.beginPath();
    canvas.moveTo(centre, edge[0]![1]);
    edge.forEach(([px, py]) => canvas.lineTo(px, py));
    canvas.lineTo(centre, edge.at(-1)![1]);
    canvas.fill();
    canvas.strokeStyle = `rgba(${colour},${strong ? 0.95 : 0.5})`;
    canvas.setLineDash(strong ? [] : [2, 2]);
    stroke(canvas, edge);
    canvas.setLineDash([]);
    start = Math.max(end, start + 1);
  }
}

function paintLine(
  canvas: CanvasRenderingContext2D,
  scene: Scene,
  line: Line,
  y: (at: number) => number,
): void {
  const from = Math.max(scene.top, 0);
  const to = Math.min(scene.top + scene.height / scene.scale, scene.length);
  if (from >= to) return;
  const path = pathOf(scene, line, from, to);
  if (line.spread) paintBand(canvas, scene, line, from, to, y);
  canvas.strokeStyle = line.colour;
  canvas.lineWidth = line.chosen ? 2.5 : 1.25;
  canvas.globalAlpha = line.chosen ? 1 : line.silent ? 0.2 : 0.5;
  canvas.lineJoin = "round";
  canvas.setLineDash(line.silent ? [4, 4] : []);
  stroke(
    canvas,
    path.map(([at, value]) => [scene.axis.x(value + line.shift), y(at)]),
  );
  canvas.setLineDash([]);
  canvas.globalAlpha = 1;
}

function pathOf(scene: Scene, line: Line, from: number, to: number): [number, number][] {
  return line.points.length
    ? lanePath(scene.shapes, line.points, from, to, 2 / scene.scale)
    : [
        [from, line.value],
        [to, line.value],
      ];
}

/** The band that a spread source covers: strong for the chosen one, a breath for the others. */
function paintBand(
  canvas: CanvasRenderingContext2D,
  scene: Scene,
  line: Line,
  from: number,
  to: number,
  y: (at: number) => number,
): void {
  const value = (one: Line, at: number): number =>
    one.points.length ? laneValue(scene.shapes, one.points, at) : one.value;
  const moving = line.points.length + line.spread!.points.length > 0;
  const step = moving ? 3 / scene.scale : to - from;
  const edges: [number, number, number][] = [];
  for (let at = from; at < to + step; at += step) {
    const here = Math.min(at, to);
    const [centre, half] = [value(line, here) + line.shift, value(line.spread!, here)];
    edges.push([y(here), scene.axis.x(centre - half), scene.axis.x(centre + half)]);
  }
  canvas.fillStyle = line.colour;
  canvas.globalAlpha = line.chosen ? 0.13 : 0.035;
  canvas.beginPath();
  edges.forEach(([py, left], i) => (i ? canvas.lineTo(left, py) : canvas.moveTo(left, py)));
  [...edges].reverse().forEach(([py, , right]) => canvas.lineTo(right, py));
  canvas.fill();
  canvas.globalAlpha = 1;
}

function stroke(canvas: CanvasRenderingContext2D, path: [number, number][]): void {
  canvas.beginPath();
  path.forEach(([x, y], i) => (i ? canvas.lineTo(x, y) : canvas.moveTo(x, y)));
  canvas.stroke();
}
