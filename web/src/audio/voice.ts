/**
 * What the speakers play, sample by sample: of each segment the newest that is there, read in order, round a passage
 * if asked. A newer one takes over softly as soon as it comes; until then the older one goes on. Pure arithmetic
 * without an audio context; the worklet drives it.
 */
import { must } from "@/domain/must";

export interface PlayedSegment {
  audio: Float32Array[];
  /** A held source before its placement, channel by channel; the audio is without it then. */
  hand: Float32Array[];
}

export interface Round {
  start: number;
  stop: number;
}

/** One way of a held channel to a loudspeaker: how strong, and how many frames late. */
export interface Tap {
  input: number;
  /** 0 left, 1 right. */
  output: number;
  gain: number;
  delay: number;
}

/** Frames over which one generation gives way to the next. */
export const CROSSFADE = 480;

/** Frames over which a held gain follows the hand. */
const FOLLOW = 240;

/** A segment as a generation has it. */
interface Version {
  generation: number;
  segment: PlayedSegment;
}

/** Of each segment so many versions stay: the one that takes over, and the one that it takes over from. */
const VERSIONS = 2;

/** Something that reads on from a position; of each segment the newest version that is not newer than a generation. */
class Reader {
  constructor(
    public position: number,
    public round: Round | null,
    readonly newest: number,
  ) {}
}

export class Voice {
  position = 0;
  /** Frames of silence that stood where sound should have been. */
  silent = 0;
  round: Round | null = null;
  /** What is there of each segment, the newest first. */
  private versions = new Map<number, Version[]>();
  /** The generation that sounds; none yet where the playhead has just been sent. */
  private sounding: number | null = null;
  private leaving: Reader | null = null;
  private leavingLeft = 0;
  /** The held source's ways as they sound, and as the hand wants them. */
  private taps: Tap[] = [];
  private wanted: Tap[] = [];

  constructor(
    readonly segmentFrames: number,
    public total: number,
  ) {}

  /** Put a segment in place: a newer version takes over from the one that is there, an older one is too late. */
  put(generation: number, index: number, segment: PlayedSegment): void {
    const there = this.versions.get(index) ?? [];
    const [newest] = there;
    if (newest && newest.generation > generation) return;
    const older = there.filter((one) => one.generation < generation);
    this.versions.set(index, [{ generation, segment }, ...older].slice(0, VERSIONS));
  }

  seek(position: number): void {
    this.leave();
    this.sounding = null;
    this.position = position;
  }

  /** Where the hand wants the held source; it is followed within a few milliseconds. */
  follow(taps: Tap[], atOnce: boolean): void {
    this.wanted = taps;
    if (atOnce || this.taps.length !== taps.length) this.taps = taps.map((tap) => ({ ...tap }));
  }

  /** Forget what lies more than a segment behind, and far ahead. */
  tidy(): void {
    const here = Math.floor(this.position / this.segmentFrames);
    const first = this.round ? Math.floor(this.round.start / this.segmentFrames) : here;
    for (const index of this.versions.keys())
      if (index < Math.min(here, first) - 1 || index > Math.max(here, first) + 40)
        this.versions.delete(index);
  }

  /** Fill both outputs. False if a segment was missing: silence then, and the position stays. */
  render(left: Float32Array, right: Float32Array): boolean {
    for (let done = 0; done < left.length;) {
      const end = Math.min(done + this.framesAhead(), left.length);
      if (!this.renderPart(left.subarray(done, end), right.subarray(done, end))) {
        left.fill(0, end);
        right.fill(0, end);
        this.silent += left.length - done;
        return false;
      }
      done = end;
    }
    return true;
  }

  /** Frames to the next segment, or to where the round turns: beyond, another generation may go on. */
  private framesAhead(): number {
    const inSegment = this.segmentFrames - (this.position % this.segmentFrames);
    const turns = this.round && this.position < this.round.stop ? this.round.stop - this.position : Infinity;
    return Math.min(inSegment, turns);
  }

  private renderPart(left: Float32Array, right: Float32Array): boolean {
    const newest = this.versionAt(this.position, Infinity)?.generation;
    if (newest !== undefined && newest !== this.sounding) {
      if (this.sounding !== null) this.leave();
      this.sounding = newest;
    }
    const reader = new Reader(this.position, this.round, Infinity);
    const whole = this.read(reader, left, right, true);
    this.position = reader.position;
    if (this.leaving && this.leavingLeft > 0) this.fadeFromLeaving(left, right);
    return whole;
  }

  private versionAt(position: number, newest: number): Version | undefined {
    const versions = this.versions.get(Math.floor(position / this.segmentFrames));
    // Asked for each sample of a held source: nothing is made here.
    for (let i = 0; versions && i < versions.length; i += 1) {
      const version = must(versions[i]);
      if (version.generation <= newest) return version;
    }
    return undefined;
  }

  get ended(): boolean {
    return this.position >= this.total;
  }

  private leave(): void {
    if (this.sounding === null || !this.versionAt(this.position, this.sounding)) return;
    this.leaving = new Reader(this.position, this.round, this.sounding);
    this.leavingLeft = CROSSFADE;
  }

  private fadeFromLeaving(left: Float32Array, right: Float32Array): void {
    const [oldLeft, oldRight] = [new Float32Array(left.length), new Float32Array(left.length)];
    this.read(must(this.leaving), oldLeft, oldRight, false);
    for (let i = 0; i < left.length && this.leavingLeft > 0; i += 1, this.leavingLeft -= 1) {
      const share = this.leavingLeft / CROSSFADE;
      left[i] = must(left[i]) * (1 - share) + must(oldLeft[i]) * share;
      right[i] = must(right[i]) * (1 - share) + must(oldRight[i]) * share;
    }
    if (this.leavingLeft <= 0) this.leaving = null;
  }

  private read(reader: Reader, left: Float32Array, right: Float32Array, moves: boolean): boolean {
    let done = 0;
    while (done < left.length) {
      const segment = this.versionAt(reader.position, reader.newest)?.segment;
      const end = reader.round && reader.position < reader.round.stop ? reader.round.stop : this.total;
      if (!segment || reader.position >= end) {
        left.fill(0, done);
        right.fill(0, done);
        return reader.position >= this.total;
      }
      const at = reader.position % this.segmentFrames;
      const count = Math.min(left.length - done, this.segmentFrames - at, end - reader.position);
      left.set(must(segment.audio[0]).subarray(at, at + count), done);
      right.set(must(segment.audio[1]).subarray(at, at + count), done);
      if (segment.hand.length) this.addHand(reader, count, left, right, done, moves);
      done += count;
      reader.position += count;
      if (reader.round && reader.position === reader.round.stop) reader.position = reader.round.start;
    }
    return true;
  }

  private addHand(
    reader: Reader,
    count: number,
    left: Float32Array,
    right: Float32Array,
    done: number,
    moves: boolean,
  ): void {
    const taps = moves ? this.taps : this.taps.map((tap) => ({ ...tap }));
    const outputs = [left, right];
    taps.forEach((tap, place) => {
      const wanted = must(this.wanted[place]);
      const out = must(outputs[tap.output]);
      for (let i = 0; i < count; i += 1) {
        tap.gain = toward(tap.gain, wanted.gain, 1 / FOLLOW);
        // A moving delay bends the pitch for a moment; a frame in eight keeps that small.
        tap.delay = toward(tap.delay, wanted.delay, 1 / 8);
        out[done + i] = must(out[done + i]) + tap.gain * this.handAt(reader, tap, reader.position + i);
      }
    });
  }

  /** The held channel's sample a tap's delay before a position, between two frames if need be. */
  private handAt(reader: Reader, tap: Tap, position: number): number {
    const at = position - tap.delay;
    const whole = Math.floor(at);
    const here = this.handFrame(reader, tap.input, whole);
    return at === whole ? here : here + (this.handFrame(reader, tap.input, whole + 1) - here) * (at - whole);
  }

  private handFrame(reader: Reader, input: number, frame: number): number {
    const hand = this.versionAt(frame, reader.newest)?.segment.hand[input];
    return hand?.[frame % this.segmentFrames] ?? 0;
  }
}

const toward = (value: number, wanted: number, step: number): number =>
  value + Math.max(-step, Math.min(step, wanted - value));
