/** Draws a dealt part: its waveform and events down the time, at the place where each is. */
import { must } from "@/domain/must";
import type { Axis } from "@/ui/drawing/axis";
import type { Wave } from "@/ui/drawing/paintLines";
import type { Schemas } from "@/api/http";
import { eventAt } from "@/domain/events";
import { palette } from "@/ui/palette";

export type Dealt = Schemas["DealtEvent"];

export interface DealScene {
  axis: Axis;
  top: number;
  scale: number;
  height: number;
  events: Dealt[];
  /** Where each place is. */
  pans: number[];
  wave: Wave | undefined;
  colour: string;
  chosen: number | null;
}

const WAVE_REACH = 26;

export function paintDeal(canvas: CanvasRenderingContext2D, scene: DealScene): void {
  const { events, axis, pans } = scene;
  const y = (at: number): number => (at - scene.top) * scene.scale;
  const end = scene.top + scene.height / scene.scale;
  const placeOf = (i: number): number => axis.x(pans[events[Math.max(i, 0)]?.place ?? 0] ?? 0);
  paintWave(canvas, scene, placeOf);
  const first = Math.max(eventAt(events, scene.top), 0);
  canvas.strokeStyle = scene.colour;
  canvas.lineWidth = 1.6;
  canvas.beginPath();
  for (let i = first; i < events.length && must(events[i]).t < end + 4; i += 1) {
    const x = placeOf(i);
    if (i === first) canvas.moveTo(x, y(Math.max(must(events[i]).t, scene.top - 1)));
    else canvas.lineTo(x, y(must(events[i]).t));
    canvas.lineTo(x, y(events[i + 1]?.t ?? must(events[i]).t + Math.max(must(events[i]).seconds, 0.2)));
  }
  canvas.stroke();
  for (let i = first; i < events.length && must(events[i]).t < end; i += 1) {
    const [x, at] = [placeOf(i), y(must(events[i]).t)];
    canvas.beginPath();
    canvas.arc(x, at, 2.5 + 4 * must(events[i]).velocity, 0, 2 * Math.PI);
    canvas.fillStyle = scene.colour;
    canvas.fill();
    if (i !== scene.chosen) continue;
    canvas.strokeStyle = palette.lamp;
    canvas.lineWidth = 3;
    canvas.stroke();
  }
}

/** The stem's strength, down the line of the part. */
function paintWave(canvas: CanvasRenderingContext2D, scene: DealScene, placeOf: (i: number) => number): void {
  const { wave } = scene;
  if (!wave) return;
  canvas.fillStyle = scene.colour;
  canvas.globalAlpha = 0.28;
  const step = Math.max(1, scene.scale / wave.perSecond);
  for (let py = 0; py < scene.height; py += step) {
    const at = scene.top + py / scene.scale;
    const from = Math.floor((at - wave.start) * wave.perSecond);
    const to = Math.max(from + 1, Math.floor((at + step / scene.scale - wave.start) * wave.perSecond));
    let peak = 0;
    for (const row of wave.channels)
      for (let i = Math.max(from, 0); i < Math.min(to, row.length); i += 1)
        peak = Math.max(peak, must(row[i]));
    if (peak <= 0) continue;
    const reach = peak * WAVE_REACH;
    canvas.fillRect(placeOf(eventAt(scene.events, at)) - reach, py, 2 * reach, Math.max(step - 0.2, 0.8));
  }
  canvas.globalAlpha = 1;
}
