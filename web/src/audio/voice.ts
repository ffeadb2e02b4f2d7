/**
 * What the loudspeakers play, sample by sample: of each segment the newest version that is there, read in order, round
 * a passage if asked. A newer version takes over softly as soon as it comes; until then the older one goes on. Pure
 * arithmetic without an audio context; the worklet drives it, and while it plays nothing is allocated.
 */
import { must } from "@/domain/must";

export interface PlayedSegment {
  /** Each channel: the segment, and after it its tail, through which it may give way to another version. */
  audio: Float32Array[];
  /** A held source before its placement, channel by channel; the audio is without it then. */
  hand: Float32Array[];
}

export interface Round {
  start: number;
  stop: number;
}

/** One way of a held channel to an output: how strong, and how many frames late. */
export interface Tap {
  input: number;
  /** 0 left, 1 right. */
  output: number;
  gain: number;
  delay: number;
}

/** Frames over which one version gives way to the next. */
export const CROSSFADE = 480;

/** Frames over which a held gain follows the hand. */
const FOLLOW = 240;

/** A segment as it was at a generation. */
interface Version {
  generation: number;
  segment: PlayedSegment;
}

/** Of each segment so many versions stay: what gives way, what takes over from it, and what waits for that. */
const VERSIONS = 4;

export class Voice {
  position = 0;
  /** Frames of silence that stood where sound should have been. */
  silent = 0;
  round: Round | null = null;
  /** Out of silence sound begins when so many segments in a row are there: no sooner than it can go on. */
  ready = 1;
  /** What is there of each segment, the newest first. */
  private readonly versions = new Map<number, Version[]>();
  /** The generation that sounds; none where nothing has sounded since the playhead was sent here. */
  private sounding = -1;
  /** What gives way: its generation, where it is, and how many of its frames are still to fade; none of them if not. */
  private leavingGeneration = -1;
  private leavingPosition = 0;
  private leavingLeft = 0;
  /** Whether silence stands where sound should be. */
  private starved = false;
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

  /** Forget some segments. */
  drop(indices: number[]): void {
    for (const index of indices) this.versions.delete(index);
  }

  seek(position: number): void {
    this.leave();
    this.sounding = -1;
    this.position = position;
  }

  /** Where the hand wants the held source; it is followed within a few milliseconds. */
  follow(taps: Tap[], atOnce: boolean): void {
    this.wanted = taps;
    if (atOnce || this.taps.length !== taps.length) this.taps = taps.map((tap) => ({ ...tap }));
  }

  get ended(): boolean {
    return this.position >= this.total;
  }

  /** Fill the outputs. False if a segment was missing: silence then, and the position stays. */
  render(outputs: Float32Array[]): boolean {
    const frames = must(outputs[0]).length;
    let done = 0;
    while (done < frames && this.position < this.total) {
      const version = this.versionAt(this.position, Infinity);
      if (!version || (this.sounding < 0 && !this.isReady())) break;
      if (this.starved) this.comeBack();
      const sounds = this.takeOver(version);
      const at = this.position % this.segmentFrames;
      const end = this.turning ? must(this.round).stop : this.total;
      const count = Math.min(frames - done, this.segmentFrames - at, end - this.position);
      this.write(outputs, done, count, sounds.segment, at);
      this.fadeFromLeaving(outputs, done, count);
      done += count;
      this.position += count;
      if (this.round && this.position === this.round.stop) this.position = this.round.start;
    }
    if (done === frames) return true;
    for (const output of outputs) output.fill(0, done);
    if (this.ended) return true;
    // What has sounded ends in its tail, and what comes begins softly.
    this.starved = true;
    this.leave();
    this.sounding = -1;
    this.fadeFromLeaving(outputs, done, frames - done);
    this.silent += frames - done;
    return false;
  }

  /** Whether as many segments are there from here on as sound begins with. */
  private isReady(): boolean {
    const round = this.turning ? this.round : null;
    const last = Math.floor(((round?.stop ?? this.total) - 1) / this.segmentFrames);
    let index = Math.floor(this.position / this.segmentFrames);
    for (let i = 0; i < this.ready; i += 1) {
      if (!this.versions.has(index)) return false;
      if (index === last && !round) return true;
      index = index === last && round ? Math.floor(round.start / this.segmentFrames) : index + 1;
    }
    return true;
  }

  private get turning(): boolean {
    return this.round !== null && this.position < this.round.stop;
  }

  /** Which of a segment's versions sounds: the newest, unless one is still giving way to the one before. */
  private takeOver(newest: Version): Version {
    if (newest.generation === this.sounding) return newest;
    if (this.leavingLeft > 0 && this.sounding >= 0) {
      const now = this.versionAt(this.position, this.sounding);
      if (now) return now;
    }
    this.leave();
    this.sounding = newest.generation;
    return newest;
  }

  /** What sounds begins to give way. */
  private leave(): void {
    if (this.sounding < 0 || this.leavingLeft > 0) return;
    this.leavingGeneration = this.sounding;
    this.leavingPosition = this.position;
    this.leavingLeft = CROSSFADE;
  }

  /** After silence sound comes back softly. */
  private comeBack(): void {
    this.starved = false;
    this.leavingGeneration = -1;
    this.leavingLeft = CROSSFADE;
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

  private write(
    outputs: Float32Array[],
    done: number,
    count: number,
    segment: PlayedSegment,
    at: number,
  ): void {
    for (let channel = 0; channel < outputs.length; channel += 1) {
      const out = must(outputs[channel]);
      const audio = segment.audio[channel];
      for (let i = 0; i < count; i += 1) out[done + i] = audio?.[at + i] ?? 0;
    }
    if (segment.hand.length) this.addHand(outputs, done, count);
  }

  private addHand(outputs: Float32Array[], done: number, count: number): void {
    for (let place = 0; place < this.taps.length; place += 1) {
      const tap = must(this.taps[place]);
      const wanted = must(this.wanted[place]);
      const out = must(outputs[tap.output]);
      for (let i = 0; i < count; i += 1) {
        tap.gain = toward(tap.gain, wanted.gain, 1 / FOLLOW);
        // A moving delay bends the pitch for a moment; a frame in eight keeps that small.
        tap.delay = toward(tap.delay, wanted.delay, 1 / 8);
        out[done + i] = must(out[done + i]) + tap.gain * this.handAt(tap, this.position + i, this.sounding);
      }
    }
  }

  /** The held channel's sample a tap's delay before a position, between two frames if need be. */
  private handAt(tap: Tap, position: number, newest: number): number {
    const at = position - tap.delay;
    const whole = Math.floor(at);
    const here = this.handFrame(tap.input, whole, newest);
    return at === whole ? here : here + (this.handFrame(tap.input, whole + 1, newest) - here) * (at - whole);
  }

  private handFrame(input: number, frame: number, newest: number): number {
    const hand = this.versionAt(frame, newest)?.segment.hand[input];
    return hand?.[frame % this.segmentFrames] ?? 0;
  }

  private fadeFromLeaving(outputs: Float32Array[], done: number, count: number): void {
    const fading = Math.min(count, this.leavingLeft);
    for (let i = 0; i < fading; i += 1) {
      const share = this.leavingLeft / CROSSFADE;
      for (let channel = 0; channel < outputs.length; channel += 1) {
        const out = must(outputs[channel]);
        const fresh = must(out[done + i]);
        // Written so that what is alike in both stays exactly as it is.
        out[done + i] = fresh + (this.leavingFrame(channel) - fresh) * share;
      }
      this.leavingLeft -= 1;
      this.leavingPosition += 1;
      if (this.round && this.leavingPosition === this.round.stop) this.leavingPosition = this.round.start;
    }
  }

  /** What a channel of that which gives way would play now: its segment, or the tail of the one before. */
  private leavingFrame(channel: number): number {
    const index = Math.floor(this.leavingPosition / this.segmentFrames);
    const here = this.versionAt(this.leavingPosition, this.leavingGeneration);
    const before = here ?? this.versionAt((index - 1) * this.segmentFrames, this.leavingGeneration);
    if (!before) return 0;
    const at = this.leavingPosition - (here ? index : index - 1) * this.segmentFrames;
    let value = before.segment.audio[channel]?.[at] ?? 0;
    if (here?.segment.hand.length)
      for (let place = 0; place < this.taps.length; place += 1) {
        const tap = must(this.taps[place]);
        if (tap.output === channel)
          value += tap.gain * this.handAt(tap, this.leavingPosition, this.leavingGeneration);
      }
    return value;
  }
}

const toward = (value: number, wanted: number, step: number): number =>
  value + Math.max(-step, Math.min(step, wanted - value));
