/** The audio thread's end of the player, driven as the browser drives it: blocks of 128 frames. */
import type { FromWorklet, ToWorklet } from "@/audio/worklet";

const BLOCK = 128;
const LENGTH = 1024;
const FADE = 240;

interface Processor {
  port: { onmessage: (event: { data: ToWorklet }) => void };
  process: (inputs: [], outputs: Float32Array[][]) => boolean;
}
type Kind = new (options: { processorOptions: { segmentFrames: number; total: number } }) => Processor;

let told: FromWorklet[];
let registered: Kind;

beforeAll(async () => {
  vi.stubGlobal("currentTime", 0);
  vi.stubGlobal(
    "AudioWorkletProcessor",
    class {
      port = { onmessage: null, postMessage: (found: FromWorklet) => told.push({ ...found }) };
    },
  );
  vi.stubGlobal("registerProcessor", (_: string, kind: Kind) => (registered = kind));
  await import("@/audio/worklet");
});
afterAll(() => vi.unstubAllGlobals());
beforeEach(() => void (told = []));

/** A player with so many of its four segments there already, each sample as loud as the next: 0.5. */
function player(segments = 4) {
  const one = new registered({ processorOptions: { segmentFrames: LENGTH, total: 4 * LENGTH } });
  const wish = (data: ToWorklet): void => one.port.onmessage({ data });
  const put = (index: number, value = 0.5, generation = 0): void => {
    const audio = [new Float32Array(LENGTH).fill(value), new Float32Array(LENGTH).fill(-value)];
    wish({ type: "segment", generation, index, segment: { audio, hand: [] } });
  };
  for (let index = 0; index < segments; index += 1) put(index);
  const sound = (blocks: number): { left: number[]; right: number[] } => {
    const found = { left: [] as number[], right: [] as number[] };
    for (let i = 0; i < blocks; i += 1) {
      const outputs = [[new Float32Array(BLOCK), new Float32Array(BLOCK)]];
      expect(one.process([], outputs)).toBe(true);
      found.left.push(...outputs[0]![0]!);
      found.right.push(...outputs[0]![1]!);
    }
    return found;
  };
  return { wish, put, sound };
}

const steepest = (samples: number[]): number =>
  Math.max(...samples.slice(1).map((value, i) => Math.abs(value - samples[i]!)));

describe("the audio thread", () => {
  it("is silent and stands still until it is told to play, and says where it is all the same", () => {
    const { sound, wish } = player();
    wish({ type: "seek", position: 700 });
    expect(sound(12).left.every((value) => value === 0)).toBe(true);
    expect(told.map((one) => [one.position, one.starved])).toEqual([[700, false], [700, false]]); // prettier-ignore
  });

  it("fades in and out over five milliseconds without a click, and is exact in between", () => {
    const { sound, wish } = player();
    wish({ type: "play", playing: true });
    const { left, right } = sound(8);
    expect(steepest([0, ...left])).toBeLessThan(0.5 / FADE + 1e-6);
    expect(left.slice(FADE).every((value) => value === 0.5)).toBe(true);
    expect(right).toEqual(left.map((value) => -value));
    wish({ type: "play", playing: false });
    const out = sound(4).left;
    expect(steepest([0.5, ...out])).toBeLessThan(0.5 / FADE + 1e-6);
    expect(out.slice(FADE).every((value) => value === 0)).toBe(true);
  });

  it("stands where it was stopped, and goes on from there", () => {
    const { sound, wish } = player();
    wish({ type: "play", playing: true });
    sound(6);
    wish({ type: "play", playing: false });
    sound(12);
    const stood = told.at(-1)!.position;
    sound(60);
    expect(told.at(-1)!.position).toBe(stood);
    wish({ type: "play", playing: true });
    sound(6);
    expect(told.at(-1)!.position).toBe(stood + 6 * BLOCK);
  });

  it("reports every sixth block, and at once when what should sound is not there", () => {
    const { sound, wish, put } = player(1);
    wish({ type: "play", playing: true });
    sound(6);
    expect(told).toEqual([{ position: 6 * BLOCK, time: 0, starved: false, ended: false, silent: 0 }]);
    sound(3);
    expect(told.at(-1)).toMatchObject({ position: LENGTH, starved: true });
    put(1);
    const { left } = sound(6);
    expect(left.some((value) => value === 0.5)).toBe(true);
    expect(told.at(-1)).toMatchObject({ position: LENGTH + 3 * BLOCK, starved: false });
  });

  it("goes round what it is given, and straight on again", () => {
    const { sound, wish } = player();
    wish({ type: "round", round: { start: 256, stop: 768 } });
    wish({ type: "play", playing: true });
    sound(60);
    expect(told.every((one) => one.position <= 768)).toBe(true);
    wish({ type: "round", round: null });
    sound(6);
    expect(told.at(-1)!.position).toBeGreaterThan(768);
  });

  it("comes to the end and says so; a piece that has grown goes on", () => {
    const { sound, wish, put } = player();
    wish({ type: "play", playing: true });
    sound(36);
    expect(told.at(-1)).toMatchObject({ position: 4 * LENGTH, ended: true });
    wish({ type: "total", total: 5 * LENGTH });
    put(4);
    sound(6);
    expect(told.at(-1)).toMatchObject({ ended: false });
    expect(told.at(-1)!.position).toBeGreaterThan(4 * LENGTH);
  });

  it("gives way softly to what has changed, and pays no heed to what comes too late", () => {
    const { sound, wish, put } = player();
    wish({ type: "play", playing: true });
    sound(4);
    for (const index of [0, 1, 2, 3]) put(index, 0.25, 1);
    put(0, 0.9, 0);
    const { left } = sound(8);
    expect(steepest([0.5, ...left])).toBeLessThan(0.002);
    expect(left.at(-1)).toBeCloseTo(0.25);
  });

  it("plays a held source as the hand wants it", () => {
    const { sound, wish } = player(0);
    const audio = [new Float32Array(LENGTH), new Float32Array(LENGTH)];
    const hand = [new Float32Array(LENGTH).fill(0.5)];
    wish({ type: "segment", generation: 0, index: 0, segment: { audio, hand } });
    wish({ type: "hand", atOnce: true, taps: [{ input: 0, output: 0, gain: 1, delay: 0 }] });
    wish({ type: "play", playing: true });
    const { left, right } = sound(4);
    expect(left.at(-1)).toBeCloseTo(0.5);
    expect(right.every((value) => value === 0)).toBe(true);
    wish({ type: "hand", atOnce: false, taps: [{ input: 0, output: 0, gain: 0, delay: 0 }] });
    const after = sound(4).left;
    expect(after.at(-1)).toBeCloseTo(0, 5);
    expect(steepest(after)).toBeLessThan(0.01);
  });
});
