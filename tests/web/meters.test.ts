/** The meters: every frame counts, painted or not, and what was over stays until it is cleared. */
import { usePeakHold } from "@/audio/peakHold";
import { useShownReadings } from "@/audio/shownReadings";
import type { Fetched } from "@/audio/segments";
import { createPinia, setActivePinia } from "pinia";

const player = vi.hoisted(() => ({
  listeners: [] as ((frame: Record<string, number>, at: number) => void)[],
}));
vi.mock("@/audio/player", () => ({
  usePlayer: () => ({ now: null, onFrame: (listener: never) => player.listeners.push(listener) }),
}));
vi.mock("@/audio/target", () => ({ useTarget: () => ({ target: { dbtp: -1 } }) }));

const COUNT = 25;

/** A segment whose peaks are as given, frame by frame; its level says which frame it is. */
function segment(index: number, peaks: number[] = []): Fetched {
  const columns = ["rms_left", "peak_left", "true_peak_left"];
  const rows = Array.from({ length: COUNT }, (_, i) => [
    index * COUNT + i,
    peaks[i] ?? -60,
    (peaks[i] ?? -60) + 1,
  ]);
  return {
    key: "", tag: "", played: null, reading: null,
    readings: { columns, count: COUNT, values: Float32Array.from(rows.flat()) },
    pictures: { pairs: 1, points: new Float32Array(COUNT * 2), spectra: [] },
  }; // prettier-ignore
}

/** Peaks that are loud at one frame. */
const loudAt = (frame: number, db: number): number[] =>
  Array.from({ length: COUNT }, (_, i) => (i === frame ? db : -60));

describe("what the meters show", () => {
  it("is the frame that sounds, with the highest peaks since it was painted last", () => {
    const shown = useShownReadings();
    shown.put(0, segment(0, loudAt(7, -3)));
    shown.showAt(0.1);
    expect(shown.now.value).toMatchObject({ rms_left: 5, peak_left: -60 });
    shown.showAt(0.2);
    expect(shown.now.value).toMatchObject({ rms_left: 10, peak_left: -3, true_peak_left: -2 });
    shown.showAt(0.3);
    expect(shown.now.value).toMatchObject({ rms_left: 15, peak_left: -60 });
  });

  it("misses nothing while nobody paints: a tab that is hidden", () => {
    const shown = useShownReadings();
    for (let index = 0; index < 8; index += 1)
      shown.put(index, segment(index, index === 3 ? loudAt(0, 0.5) : []));
    shown.showAt(0.02);
    for (let at = 0.02; at < 3.5; at += 0.016) shown.pass(at);
    shown.showAt(3.5);
    expect(shown.now.value!.peak_left).toBe(0.5);
  });

  it("tells every frame once, whatever steps time takes", () => {
    const shown = useShownReadings();
    for (let index = 0; index < 4; index += 1) shown.put(index, segment(index));
    const frames: number[] = [];
    shown.onFrame((frame) => frames.push(frame.rms_left!));
    let at = 0.011;
    shown.pass(at);
    for (const step of [0.003, 0.05, 0.02, 0.4, 0.021, 0.11, 0.6, 0.019]) shown.pass((at += step));
    expect(frames).toEqual(Array.from({ length: frames.length }, (_, i) => i + 1));
    expect(frames.length).toBe(Math.floor(at / 0.02));
  });

  it("does not count what was leapt over, nor what was not heard", () => {
    const shown = useShownReadings();
    for (let index = 0; index < 40; index += 1) shown.put(index, segment(index, loudAt(5, 2)));
    let count = 0;
    shown.onFrame(() => (count += 1));
    shown.pass(1);
    shown.pass(10);
    shown.pass(2);
    expect(count).toBe(0);
    shown.showNothing();
    shown.pass(2.21);
    expect(count).toBe(0);
    shown.pass(2.31);
    expect(count).toBe(5);
  });
});

describe("what was over the ceiling", () => {
  it("is kept for each side: where it was first and last, and how high, until it is cleared", () => {
    setActivePinia(createPinia());
    player.listeners.length = 0;
    const peaks = usePeakHold();
    const [listener] = player.listeners;
    listener!({ true_peak_left: -2, true_peak_right: -1 }, 0.5);
    expect(peaks.overs).toEqual({ left: null, right: null });
    listener!({ true_peak_left: -0.5, true_peak_right: Number.NaN }, 1);
    listener!({ true_peak_left: 0.5, true_peak_right: -3 }, 2);
    listener!({ true_peak_left: -0.8, true_peak_right: -3 }, 3);
    expect(peaks.overs).toEqual({ left: { first: 1, last: 3, highest: 0.5 }, right: null });
    peaks.clear();
    expect(peaks.overs).toEqual({ left: null, right: null });
  });
});
