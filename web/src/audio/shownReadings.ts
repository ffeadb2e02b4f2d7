/** Which meter frames, points and spectra belong to what sounds at a moment. */
import { shallowRef } from "vue";
import { must } from "@/domain/must";
import { PER_SECOND, type Fetched, type Pictures, type Readings, type Spectrum } from "./segments";

const READINGS_KEPT = 400;
/** Meter frames whose points stand in the phase picture together. */
const FRAMES_SHOWN = 14;

export function useShownReadings() {
  /** The meter readings of what sounds now, by column; null while nothing does. */
  const now = shallowRef<Record<string, number> | null>(null);
  /** The points of the phase picture and the spectrum that belong to what sounds now. */
  const phase = shallowRef<Float32Array | null>(null);
  const spectrum = shallowRef<Spectrum | null>(null);
  const readings = new Map<number, Readings & Pictures>();

  function put(index: number, { readings: measured, pictures }: Fetched): void {
    readings.delete(index);
    readings.set(index, { ...measured, ...pictures });
    if (readings.size > READINGS_KEPT) readings.delete(must(readings.keys().next().value));
  }

  /** The points of the last frames up to one; where a segment has just begun, those of the one before too. */
  function pointsUntil(index: number, frame: number): Float32Array {
    const segment = must(readings.get(index));
    const each = segment.pairs * 2;
    const points = segment.points.subarray(Math.max(frame + 1 - FRAMES_SHOWN, 0) * each, (frame + 1) * each);
    const before = readings.get(index - 1);
    const missing = FRAMES_SHOWN * each - points.length;
    if (!missing || !before) return points;
    const whole = new Float32Array(missing + points.length);
    whole.set(before.points.subarray(before.points.length - missing));
    whole.set(points, missing);
    return whole;
  }

  /** Show what belongs to a moment (s). */
  function showAt(at: number): void {
    const index = Math.floor(at * PER_SECOND);
    const segment = readings.get(index);
    if (!segment) return showNothing();
    const share = at * PER_SECOND - index;
    const frame = Math.min(Math.floor(share * segment.count), segment.count - 1);
    const width = segment.columns.length;
    now.value = Object.fromEntries(
      segment.columns.map((name, i) => [name, must(segment.values[frame * width + i])]),
    );
    phase.value = pointsUntil(index, frame);
    const { spectra } = segment;
    spectrum.value = must(spectra[Math.min(Math.floor(share * spectra.length), spectra.length - 1)]);
  }

  function showNothing(): void {
    now.value = phase.value = spectrum.value = null;
  }

  return { now, phase, spectrum, put, showAt, showNothing, clear: () => readings.clear() };
}
