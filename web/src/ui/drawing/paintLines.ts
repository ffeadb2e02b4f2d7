/** Draws lines on the chart: sources' places and lanes, the bands they cover, waveforms down them, hands and looks. */
import { must } from "@/domain/must";
import type { Point, ShapeTables } from "@/domain/model";
import { lanePath, laneValue, pointBefore } from "@/domain/lanes";
import { placing, stroke, type Paper } from "./paint";
import { palette } from "@/ui/palette";

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
  /** How it is broken, where inks alone do not tell sources apart. */
  dash?: number[];
  /** How strongly it is drawn (0…1), if not as usual. */
  strength?: number;
  /** Its automation is switched off: the line is only kept. */
  off?: boolean;
  /** Half the width that it covers, where it is spread over a span. */
  spread?: Line;
  /** What it sounds like, to be drawn down the line. */
  wave?: Wave;
}

/** The largest sample of each short stretch (0…1), channel by channel, from a time (s) on. */
export interface Wave {
  start: number;
  perSecond: number;
  channels: number[][];
}

export interface Scene extends Paper {
  shapes: ShapeTables;
}

type Path = [number, number][];

/** How far a full waveform reaches to either side of its line (px). */
const WAVE_REACH = 26;

export function paintLine(canvas: CanvasRenderingContext2D, scene: Scene, line: Line): void {
  const y = placing(scene);
  const from = Math.max(scene.top, 0);
  const to = Math.min(scene.top + scene.height / scene.scale, scene.length);
  if (from >= to) return;
  if (line.wave) paintWave(canvas, scene, line, from, to);
  if (line.spread) paintBand(canvas, scene, line, from, to);
  canvas.strokeStyle = line.colour;
  canvas.lineWidth = line.chosen ? 2.5 : 1.25;
  // Round corners cost much, and are not seen on a thin line.
  canvas.lineJoin = line.chosen ? "round" : "bevel";
  const strength = line.strength ?? (line.chosen ? 1 : line.silent ? 0.2 : 0.5);
  if (line.off) {
    canvas.globalAlpha = 0.45 * strength;
    canvas.lineWidth = 1;
    canvas.setLineDash([2, 5]);
    stroke(canvas, onPaper(scene, pathOf(scene, line, from, to), line.shift));
    canvas.lineWidth = 2.5;
  }
  canvas.globalAlpha = strength;
  canvas.setLineDash(line.silent ? [4, 4] : (line.dash ?? []));
  const still: Path = [
    [from, line.value],
    [to, line.value],
  ];
  const path = line.off || !line.points.length ? still : pathOf(scene, line, from, to);
  stroke(canvas, onPaper(scene, path, line.shift));
  canvas.setLineDash([]);
  canvas.globalAlpha = 1;

  function onPaper(on: Scene, values: Path, shift: number): Path {
    return values.map(([at, value]) => [on.axis.x(value + shift), y(at)]);
  }
}

/** What is looked at before it is made, or what a hand has just done: over what is there. */
export function paintLook(
  canvas: CanvasRenderingContext2D,
  scene: Scene,
  points: Point[],
  shift: number,
  colour: string,
  dash: number[] = [],
): void {
  const y = placing(scene);
  const from = Math.max(scene.top, 0);
  const to = Math.min(scene.top + scene.height / scene.scale, scene.length);
  if (!points.length || from >= to) return;
  const path = pathOf(scene, { points }, from, to).map(([at, value]): [number, number] => [
    scene.axis.x(value + shift),
    y(at),
  ]);
  canvas.lineJoin = "round";
  canvas.strokeStyle = palette.paper;
  canvas.lineWidth = 6;
  stroke(canvas, path);
  canvas.strokeStyle = colour;
  canvas.lineWidth = dash.length ? 1.75 : 2.5;
  canvas.setLineDash(dash);
  stroke(canvas, path);
  canvas.setLineDash([]);
}

/** A hand's way, sample by sample. */
export function paintWay(
  canvas: CanvasRenderingContext2D,
  scene: Scene,
  way: Path,
  shift: number,
  colour: string,
  stepped = false,
): void {
  const y = placing(scene);
  const path = way.flatMap(([at, value], i): Path => {
    const here: [number, number] = [scene.axis.x(value + shift), y(at)];
    const before = way[i - 1];
    return stepped && before ? [[scene.axis.x(before[1] + shift), y(at)], here] : [here];
  });
  canvas.lineJoin = "round";
  canvas.strokeStyle = colour;
  canvas.lineWidth = 3;
  stroke(canvas, path);
}

/** Rows (px) of which a crowded line shows only how far it goes to either side. */
const CROWDED_ROW = 2;

/** A line's corners; where points crowd, only what each row of the paper shows of them. */
function pathOf(scene: Scene, line: Pick<Line, "points"> & Partial<Line>, from: number, to: number): Path {
  const { points } = line;
  const first = Math.max(pointBefore(points, from), 0);
  const last = Math.min(pointBefore(points, to) + 1, points.length - 1);
  const rows = (to - from) * scene.scale;
  if (last - first < (line.chosen ? 4 : 1) * rows)
    return lanePath(scene.shapes, points, from, to, 2 / scene.scale);
  const path: Path = [[from, laneValue(scene.shapes, points, from)]];
  for (let i = first; i <= last;) {
    const row = Math.floor((must(points[i]).t * scene.scale) / CROWDED_ROW);
    let [low, high] = [must(points[i]), must(points[i])];
    for (; i <= last && Math.floor((must(points[i]).t * scene.scale) / CROWDED_ROW) === row; i += 1) {
      const here = must(points[i]);
      if (here.value < low.value) low = here;
      if (here.value >= high.value) high = here;
    }
    for (const point of low.t < high.t ? [low, high] : [high, low]) path.push([point.t, point.value]);
  }
  path.push([to, laneValue(scene.shapes, points, to)]);
  return path;
}

const valueOf = (scene: Scene, line: Line, at: number): number =>
  line.points.length && !line.off ? laneValue(scene.shapes, line.points, at) : line.value;

/** The waveform down the line: left reaches to the left of it, right to the right. */
function paintWave(
  canvas: CanvasRenderingContext2D,
  scene: Scene,
  line: Line,
  from: number,
  to: number,
): void {
  const y = placing(scene);
  const { start, perSecond, channels } = must(line.wave);
  const [left, right] = [must(channels[0]), must(channels.at(-1))];
  const step = Math.max(1 / scene.scale, 1 / perSecond);
  canvas.fillStyle = line.colour;
  canvas.globalAlpha = 0.22;
  canvas.beginPath();
  const first = Math.floor(from / step) * step;
  for (let at = first; at < to; at += step) {
    const [low, high] = [at, at + step].map((t) => Math.floor((t - start) * perSecond));
    if (must(high) < 0 || must(low) >= left.length) continue;
    let [near, far] = [0, 0];
    for (
      let i = Math.max(must(low), 0);
      i < Math.min(Math.max(must(high), must(low) + 1), left.length);
      i += 1
    ) {
      near = Math.max(near, must(left[i]));
      far = Math.max(far, must(right[i]));
    }
    if (near + far === 0) continue;
    const x = scene.axis.x(valueOf(scene, line, at + step / 2) + line.shift);
    canvas.rect(
      x - near * WAVE_REACH,
      y(at),
      (near + far) * WAVE_REACH,
      Math.max(step * scene.scale - 0.15, 0.6),
    );
  }
  canvas.fill();
  canvas.globalAlpha = 1;
}

/** The band that a spread source covers: strong for the chosen one, a breath for the others. */
function paintBand(
  canvas: CanvasRenderingContext2D,
  scene: Scene,
  line: Line,
  from: number,
  to: number,
): void {
  const y = placing(scene);
  const moving = line.points.length + must(line.spread).points.length > 0;
  const step = moving ? 3 / scene.scale : to - from;
  const edges: [number, number, number][] = [];
  for (let at = from; at < to + step; at += step) {
    const here = Math.min(at, to);
    const [centre, half] = [valueOf(scene, line, here) + line.shift, valueOf(scene, must(line.spread), here)];
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
