/**
 * Which meter frames, points and spectra belong to what sounds at a moment. Every frame that passes counts: what is
 * painted shows the highest peaks of all frames since it was painted last, and so it does in a tab that was hidden.
 */
import { shallowRef } from "vue";
import { must } from "@/domain/must";
import { PER_SECOND, type Fetched, type Pictures, type Readings, type Spectrum } from "./segments";

const READINGS_KEPT = 400;
/** Meter frames whose points stand in the phase picture together. */
const FRAMES_SHOWN = 14;
/** A step ahead of more than this (s) is a jump: what lies between has not sounded. */
const LEAP = 3;

type Segment = Readings & Pictures;
/** One meter frame, by column, and when in the piece (s) it sounds. */
export type Frame = Record<string, number>;

const isPeak = (column: string): boolean => /^(true_)?peak[:_]/.test(column);

export function useShownReadings() {
  /** The meter readings of what sounds now, by column; null while nothing does. */
  const now = shallowRef<Record<string, number> | null>(null);
  /** The points of the phase picture and the spectrum that belong to what sounds now. */
  const phase = shallowRef<Float32Array | null>(null);
  const spectrum = shallowRef<Spectrum | null>(null);
  const readings = new Map<number, Segment>();
  const listeners: ((frame: Frame, at: number) => void)[] = [];
  /** The highest peaks since something was shown last. */
  let highest: Record<string, number> = {};
  /** Up to where (s) frames have passed; nothing at first, and after a jump. */
  let passed: number | null = null;

  function put(index: number, { readings: measured, pictures }: Fetched): void {
    if (!measured.count) return;
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
    if (!missing || before?.pairs !== segment.pairs) return points;
    const whole = new Float32Array(missing + points.length);
    whole.set(before.points.subarray(before.points.length - missing));
    whole.set(points, missing);
    return whole;
  }

  /** The segment that sounds at a moment (s), and which of its frames. */
  function frameAt(at: number): { index: number; segment: Segment; frame: number } | null {
    const index = Math.floor(at * PER_SECOND);
    const segment = readings.get(index);
    if (!segment) return null;
    const share = at * PER_SECOND - index;
    return { index, segment, frame: Math.min(Math.floor(share * segment.count), segment.count - 1) };
  }

  const rowOf = ({ columns, values }: Segment, frame: number): Frame =>
    Object.fromEntries(columns.map((name, i) => [name, must(values[frame * columns.length + i])]));

  /** Sound has come as far as a moment (s): every frame up to there counts. */
  function pass(at: number): void {
    const from = passed;
    passed = at;
    if (from === null || at < from || at - from > LEAP) return;
    const step = 1 / (PER_SECOND * (frameAt(at)?.segment.count ?? 1));
    // Frames begin at whole steps: each that begins after the one before and not after this one.
    for (let number = Math.floor(from / step) + 1; number * step <= at; number += 1) {
      const middle = (number + 0.5) * step;
      const found = frameAt(middle);
      if (!found) continue;
      const frame = rowOf(found.segment, found.frame);
      for (const name of Object.keys(frame))
        if (isPeak(name)) highest[name] = Math.max(highest[name] ?? -Infinity, must(frame[name]));
      for (const listener of listeners) listener(frame, number * step);
    }
  }

  /** Show what belongs to a moment (s), with the highest peaks since something was shown last. */
  function showAt(at: number): void {
    pass(at);
    const found = frameAt(at);
    if (!found) return showNothing();
    const { index, segment, frame } = found;
    const row = rowOf(segment, frame);
    for (const [name, peak] of Object.entries(highest)) row[name] = Math.max(row[name] ?? -Infinity, peak);
    highest = {};
    now.value = row;
    phase.value = pointsUntil(index, frame);
    const { spectra } = segment;
    spectrum.value =
      spectra[Math.min(Math.floor((frame / segment.count) * spectra.length), spectra.length - 1)] ?? null;
  }

  function showNothing(): void {
    now.value = phase.value = spectrum.value = null;
    highest = {};
    passed = null;
  }

  /** Be told of every frame that passes. */
  function onFrame(listener: (frame: Frame, at: number) => void): void {
    listeners.push(listener);
  }

  return { now, phase, spectrum, put, pass, showAt, showNothing, onFrame, clear: () => readings.clear() };
}
