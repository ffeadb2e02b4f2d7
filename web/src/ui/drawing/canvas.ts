/** A canvas drawn at the screen's own resolution. */
import { must } from "@/domain/must";

/** Its context, ready to draw in CSS pixels, and pixels of the screen to one of those. */
export function sized(
  canvas: HTMLCanvasElement,
  width: number,
  height: number,
): { context: CanvasRenderingContext2D; ratio: number } {
  const ratio = window.devicePixelRatio || 1;
  const [across, down] = [Math.round(width * ratio), Math.round(height * ratio)];
  // Setting a size clears it, and costs: only where it has changed.
  if (canvas.width !== across || canvas.height !== down) [canvas.width, canvas.height] = [across, down];
  const context = must(canvas.getContext("2d"));
  context.setTransform(ratio, 0, 0, ratio, 0, 0);
  context.clearRect(0, 0, width, height);
  return { context, ratio };
}
