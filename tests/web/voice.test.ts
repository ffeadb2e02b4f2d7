/** The player's arithmetic: gapless, round and round, taking over softly, and following a hand. */
import { CROSSFADE, Voice, type PlayedSegment, type Tap } from "@/audio/voice";

const LENGTH = 1024;
const BLOCK = 128;

/** A segment whose samples say where they belong: index × LENGTH + place, plus something. */
const segment = (index: number, plus = 0, hand: Float32Array[] = []): PlayedSegment => {
  const ramp = Float32Array.from({ length: LENGTH }, (_, i) => index * LENGTH + i + plus);
  return { audio: [ramp, ramp.map((value) => -value)], hand };
};

const play = (voice: Voice, blocks: number): { left: number[]; right: number[]; whole: boolean } => {
  const found = { left: [] as number[], right: [] as number[], whole: true };
  for (let i = 0; i < blocks; i += 1) {
    const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
    found.whole = voice.render([left, right]) && found.whole;
    found.left.push(...left);
    found.right.push(...right);
  }
  return found;
};

/** Each held channel's gains to left and right, at once. */
const taps = (...gains: [number, number][]): Tap[] =>
  gains.flatMap((sides, input) => sides.map((gain, output) => ({ input, output, gain, delay: 0 })));

const voiceWith = (count: number): Voice => {
  const voice = new Voice(LENGTH, count * LENGTH);
  for (let index = 0; index < count; index += 1) voice.put(0, index, segment(index));
  return voice;
};

const from = (start: number, count: number): number[] => Array.from({ length: count }, (_, i) => start + i);

describe("a voice", () => {
  it("plays segments back to back, sample for sample", () => {
    const { left, right, whole } = play(voiceWith(4), 24);
    expect(whole).toBe(true);
    expect(left).toEqual(from(0, 24 * BLOCK));
    expect(right.slice(1)).toEqual(left.slice(1).map((value) => -value));
  });

  it("waits in silence for a segment that is late, and loses nothing", () => {
    const voice = new Voice(LENGTH, 3 * LENGTH);
    voice.put(0, 0, segment(0));
    expect(play(voice, 8).whole).toBe(true);
    const late = play(voice, 2);
    expect(late.whole).toBe(false);
    expect(late.left.every((value) => value === 0)).toBe(true);
    expect(voice.silent).toBe(2 * BLOCK);
    voice.put(0, 1, segment(1));
    const { left } = play(voice, 8);
    // It comes back softly, and is whole after that.
    expect(Math.abs(left[0]!)).toBeLessThan(LENGTH / 100);
    expect(left.slice(CROSSFADE)).toEqual(from(LENGTH + CROSSFADE, LENGTH - CROSSFADE));
  });

  it("begins, out of silence, only with as many segments in a row as are wanted, and goes on with one", () => {
    const voice = new Voice(LENGTH, 6 * LENGTH);
    voice.ready = 2;
    voice.put(0, 0, segment(0));
    voice.put(0, 2, segment(2));
    expect(play(voice, 2).left.every((value) => value === 0)).toBe(true);
    voice.put(0, 1, segment(1));
    expect(play(voice, 24).whole).toBe(true);
    // It has run out, and again begins with two; the last one of the piece is enough by itself.
    expect(play(voice, 1).whole).toBe(false);
    voice.put(0, 3, segment(3));
    expect(play(voice, 1).whole).toBe(false);
    voice.seek(5 * LENGTH);
    voice.put(0, 5, segment(5));
    expect(play(voice, 8).whole).toBe(true);
  });

  it("begins in a passage with what sounds next there, round its end", () => {
    const voice = new Voice(LENGTH, 9 * LENGTH);
    voice.round = { start: 2 * LENGTH, stop: 4 * LENGTH };
    voice.ready = 3;
    voice.seek(3 * LENGTH);
    voice.put(0, 3, segment(3));
    voice.put(0, 4, segment(4));
    expect(play(voice, 1).whole).toBe(false);
    voice.put(0, 2, segment(2));
    expect(play(voice, 24).whole).toBe(true);
  });

  it("ends with the piece", () => {
    const voice = voiceWith(1);
    const { left } = play(voice, 9);
    expect(left.slice(LENGTH).every((value) => value === 0)).toBe(true);
    expect(voice.ended).toBe(true);
  });

  it("goes round exactly, wherever the passage begins and ends", () => {
    const voice = voiceWith(4);
    voice.round = { start: 700, stop: 2100 };
    voice.position = 2000;
    const { left } = play(voice, 20);
    expect(left).toEqual([...from(2000, 100), ...from(700, 1400), ...from(700, 20 * BLOCK - 1500)]);
  });

  it("goes straight on when it is already behind the passage", () => {
    const voice = voiceWith(4);
    voice.round = { start: 0, stop: 1000 };
    voice.position = 2000;
    expect(play(voice, 4).left).toEqual(from(2000, 512));
  });

  it("lets a newer generation take over softly as soon as it reaches the playhead", () => {
    const voice = voiceWith(4);
    play(voice, 4);
    voice.put(1, 1, segment(1, 5000));
    expect(play(voice, 4).left).toEqual(from(512, 512));
    const over = play(voice, 8).left.map((value, i) => value - (LENGTH + i));
    expect(over[0]).toBeCloseTo(0);
    expect(over[CROSSFADE / 2]).toBeCloseTo(2500, 0);
    expect(over.slice(CROSSFADE).every((value) => Math.abs(value - 5000) < 0.01)).toBe(true);
    const steps = over.slice(1).map((value, i) => Math.abs(value - over[i]!));
    expect(Math.max(...steps)).toBeLessThan(5000 / CROSSFADE + 0.1);
  });

  it("goes on with the older generation where the newer one has not come: no edit makes a hole", () => {
    const voice = voiceWith(4);
    play(voice, 2);
    voice.put(1, 0, segment(0, 5000));
    // The next segment is there only as it was, the one after it comes while it sounds.
    const over = play(voice, 14);
    expect(over.whole).toBe(true);
    expect(over.left[6 * BLOCK - 1]! - (LENGTH - 1)).toBeCloseTo(5000);
    expect(over.left[6 * BLOCK]).toBe(LENGTH);
    voice.put(3, 1, segment(1, 700));
    voice.put(2, 2, segment(2, 300));
    const later = play(voice, 8);
    expect(later.whole).toBe(true);
    const steps = later.left.slice(1).map((value, i) => Math.abs(value - later.left[i]! - 1));
    expect(Math.max(...steps)).toBeLessThan(700 / CROSSFADE + 0.1);
    expect(later.left.at(-1)! - (2 * LENGTH + 8 * BLOCK - 1)).toBeCloseTo(300, 0);
  });

  it("never falls silent while edits come faster than their sound, whatever of it comes, and when", () => {
    const voice = voiceWith(16);
    let [generation, seed] = [0, 7];
    const random = (below: number): number => (seed = (seed * 16807) % 2147483647) % below;
    for (let block = 0; block < 15 * (LENGTH / BLOCK); block += 1) {
      if (random(3) === 0) generation += 1;
      const here = Math.floor(voice.position / LENGTH);
      if (random(2) === 0)
        voice.put(Math.max(generation - random(3), 0), Math.min(here + random(4), 15), segment(here));
      const { whole } = play(voice, 1);
      expect(whole).toBe(true);
    }
  });

  it("turns with the newest of each segment that it goes round", () => {
    const voice = voiceWith(4);
    voice.round = { start: 300, stop: 700 };
    voice.position = 300;
    play(voice, 2);
    voice.put(1, 0, segment(0, 5000));
    const { left, whole } = play(voice, 12);
    expect(whole).toBe(true);
    const steps = left.slice(1).map((value, i) => value - left[i]!);
    // Apart from the turns themselves it only rises, and by no more than a crossfade does.
    expect(steps.filter((step) => step < 0).length).toBeLessThanOrEqual(4);
    expect(Math.max(...steps)).toBeLessThan(1 + 5000 / CROSSFADE + 0.1);
  });

  it("takes no notice of an older generation", () => {
    const voice = voiceWith(2);
    voice.put(2, 0, segment(0, 100));
    voice.put(1, 0, segment(0, 999));
    play(voice, 5);
    expect(play(voice, 1).left).toEqual(from(5 * BLOCK + 100, BLOCK));
  });

  it("jumps softly", () => {
    const voice = voiceWith(4);
    play(voice, 1);
    voice.seek(3000);
    const { left } = play(voice, 8);
    expect(left[0]).toBeCloseTo(128, 0);
    expect(left.slice(CROSSFADE)).toEqual(from(3000 + CROSSFADE, 8 * BLOCK - CROSSFADE));
  });

  it("follows a hand smoothly through the gains it is given", () => {
    const held = [new Float32Array(LENGTH).fill(1)];
    const silent: PlayedSegment = { audio: [new Float32Array(LENGTH), new Float32Array(LENGTH)], hand: held };
    const voice = new Voice(LENGTH, 2 * LENGTH);
    voice.put(0, 0, silent);
    voice.follow(taps([1, 0]), true);
    expect(play(voice, 1).left.every((value) => value === 1)).toBe(true);
    voice.follow(taps([0, 1]), false);
    const { left, right } = play(voice, 3);
    expect(left.at(-1)).toBeCloseTo(0);
    expect(right.at(-1)).toBeCloseTo(1);
    left.forEach((value, i) => expect(value + right[i]!).toBeCloseTo(1, 5));
    expect(Math.max(...left.slice(1).map((value, i) => Math.abs(value - left[i]!)))).toBeLessThan(0.01);
  });

  it("places both sides of a stereo source in the hand", () => {
    const held = [new Float32Array(LENGTH).fill(0.5), new Float32Array(LENGTH).fill(0.25)];
    const voice = new Voice(LENGTH, LENGTH);
    voice.put(0, 0, { audio: [new Float32Array(LENGTH), new Float32Array(LENGTH)], hand: held });
    voice.follow(taps([1, 0], [0, 0.5]), true);
    const { left, right } = play(voice, 1);
    expect([left[5], right[5]]).toEqual([0.5, 0.125]);
  });

  it("lets a held sound arrive later on one side, across the edge of a segment and between two frames", () => {
    const voice = new Voice(LENGTH, 3 * LENGTH);
    const empty = [new Float32Array(LENGTH), new Float32Array(LENGTH)];
    for (let index = 0; index < 3; index += 1)
      voice.put(0, index, { audio: empty, hand: [segment(index).audio[0]!] });
    const late = (delay: number): Tap[] => [
      { input: 0, output: 0, gain: 1, delay: 0 },
      { input: 0, output: 1, gain: 1, delay },
    ];
    voice.follow(late(33.5), true);
    const { left, right } = play(voice, 16);
    left.slice(100).forEach((value, i) => expect(right[i + 100]).toBeCloseTo(value - 33.5, 2));
    voice.follow(late(40), false);
    const moved = play(voice, 2);
    expect(moved.right.at(-1)).toBeCloseTo(moved.left.at(-1)! - 40, 2);
    const steps = moved.right.slice(1).map((value, i) => Math.abs(value - moved.right[i]!));
    expect(Math.max(...steps)).toBeLessThan(1.2);
  });

  it("gives way softly even where an edge of segments is one of versions too: by the older one's tail", () => {
    const voice = new Voice(LENGTH, 4 * LENGTH);
    const withTail = (index: number, plus: number): PlayedSegment => {
      const ramp = Float32Array.from({ length: LENGTH + CROSSFADE }, (_, i) => index * LENGTH + i + plus);
      return { audio: [ramp, ramp.map((value) => -value)], hand: [] };
    };
    voice.put(0, 0, withTail(0, 0));
    voice.put(3, 1, withTail(1, 5000));
    const { left, whole } = play(voice, 16);
    expect(whole).toBe(true);
    const steps = left.slice(1).map((value, i) => Math.abs(value - left[i]!));
    expect(Math.max(...steps)).toBeLessThan(1 + 5000 / CROSSFADE + 0.1);
    expect(left[LENGTH + CROSSFADE]).toBeCloseTo(LENGTH + CROSSFADE + 5000, 0);
  });

  it("lets a version fade in wholly before the next one takes over from it", () => {
    const voice = voiceWith(2);
    play(voice, 1);
    voice.put(1, 0, segment(0, 3000));
    play(voice, 1);
    voice.put(2, 0, segment(0, 6000));
    const { left } = play(voice, 6);
    const steps = left.slice(1).map((value, i) => Math.abs(value - left[i]!));
    expect(Math.max(...steps)).toBeLessThan(1 + 3000 / CROSSFADE + 0.1);
  });

  it("plays as many channels as there are outputs, and nothing where a segment has fewer", () => {
    const voice = voiceWith(1);
    const outputs = [0, 1, 2].map(() => new Float32Array(BLOCK).fill(9));
    expect(voice.render(outputs)).toBe(true);
    expect([outputs[0]![5], outputs[1]![5], outputs[2]![5]]).toEqual([5, -5, 0]);
  });

  it("forgets what it is told to forget", () => {
    const voice = voiceWith(8);
    voice.drop([0, 1]);
    expect(play(voice, 1).whole).toBe(false);
    voice.seek(2 * LENGTH);
    expect(play(voice, 4).whole).toBe(true);
  });
});
