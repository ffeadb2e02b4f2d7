/**
 * What the loudspeaker plays, sample by sample: segments of one generation read in order, round a passage
 * if asked. Pure arithmetic without an audio context; the worklet drives it.
 */

export interface PlayedSegment {
  audio: Float32Array[];
  /** A held source before its placement, channel by channel; the audio is without it then. */
  hand: Float32Array[];
}

export interface Round {
  start: number;
  stop: number;
}

/** Frames over which one generation gives way to the next. */
export const CROSSFADE = 480;

/** Frames over which a held gain follows the hand. */
const FOLLOW = 240;

class Reader {
  constructor(
    readonly segments: Map<number, PlayedSegment>,
    public position: number,
    public round: Round | null,
  ) {}
}

export class Voice {
  position = 0;
  round: Round | null = null;
  /** The generation that sounds, and the one that is to take over as soon as it reaches the playhead. */
  private sounding = new Map<number, PlayedSegment>();
  private coming: Map<number, PlayedSegment> | null = null;
  private generation = 0;
  private leaving: Reader | null = null;
  private leavingLeft = 0;
  private gains: Float32Array = new Float32Array(4);
  private wanted: Float32Array = new Float32Array(4);

  constructor(
    readonly segmentFrames: number,
    private total: number,
  ) {}

  /** Put a segment in place. A newer generation takes over when it has the segment that sounds. */
  put(generation: number, index: number, segment: PlayedSegment): void {
    if (generation < this.generation) return;
    if (generation > this.generation) {
      this.generation = generation;
      this.coming = new Map();
    }
    (this.coming ?? this.sounding).set(index, segment);
  }

  seek(position: number): void {
    this.leave();
    this.position = position;
  }

  /** Gains from each held input to left, then to right. */
  follow(gains: number[], atOnce: boolean): void {
    this.wanted.set(gains.slice(0, 4));
    if (atOnce) this.gains.set(this.wanted);
  }

  /** Forget what lies more than a segment behind, and far ahead. */
  tidy(): void {
    const here = Math.floor(this.position / this.segmentFrames);
    const first = this.round ? Math.floor(this.round.start / this.segmentFrames) : here;
    for (const index of this.sounding.keys())
      if (index < Math.min(here, first) - 1 || index > Math.max(here, first) + 40)
        this.sounding.delete(index);
  }

  /** Fill both outputs. False if a segment was missing: silence then, and the position stays. */
  render(left: Float32Array, right: Float32Array): boolean {
    const here = Math.floor(this.position / this.segmentFrames);
    if (this.coming?.has(here)) {
      this.leave();
      this.sounding = this.coming;
      this.coming = null;
    }
    const reader = new Reader(this.sounding, this.position, this.round);
    const whole = this.read(reader, left, right, true);
    this.position = reader.position;
    if (this.leaving && this.leavingLeft > 0) this.fadeFromLeaving(left, right);
    return whole;
  }

  get ended(): boolean {
    return this.position >= this.total;
  }

  private leave(): void {
    this.leaving = new Reader(this.sounding, this.position, this.round);
    this.leavingLeft = CROSSFADE;
  }

  private fadeFromLeaving(left: Float32Array, right: Float32Array): void {
    const [oldLeft, oldRight] = [new Float32Array(left.length), new Float32Array(left.length)];
    this.read(this.leaving!, oldLeft, oldRight, false);
    for (let i = 0; i < left.length && this.leavingLeft > 0; i += 1, this.leavingLeft -= 1) {
      const share = this.leavingLeft / CROSSFADE;
      left[i] = left[i]! * (1 - share) + oldLeft[i]! * share;
      right[i] = right[i]! * (1 - share) + oldRight[i]! * share;
    }
    if (this.leavingLeft <= 0) this.leaving = null;
  }

  private read(reader: Reader, left: Float32Array, right: Float32Array, moves: boolean): boolean {
    let done = 0;
    while (done < left.length) {
      const segment = reader.segments.get(Math.floor(reader.position / this.segmentFrames));
      const end = reader.round && reader.position < reader.round.stop ? reader.round.stop : this.total;
      if (!segment || reader.position >= end) {
        left.fill(0, done);
        right.fill(0, done);
        return reader.position >= this.total;
      }
      const at = reader.position % this.segmentFrames;
      const count = Math.min(left.length - done, this.segmentFrames - at, end - reader.position);
      left.set(segment.audio[0]!.subarray(at, at + count), done);
      right.set(segment.audio[1]!.subarray(at, at + count), done);
      if (segment.hand.length) this.addHand(segment.hand, at, count, left, right, done, moves);
      done += count;
      reader.position += count;
      if (reader.round && reader.position === reader.round.stop) reader.position = reader.round.start;
    }
    return true;
  }

  private addHand(
    hand: Float32Array[],
    at: number,
    count: number,
    left: Float32Array,
    right: Float32Array,
    done: number,
    moves: boolean,
  ): void {
    const inputs = hand.length;
    const gains = moves ? this.gains : this.gains.slice();
    for (let i = 0; i < count; i += 1) {
      for (let g = 0; g < 2 * inputs; g += 1) {
        const difference = this.wanted[g]! - gains[g]!;
        const step = 1 / FOLLOW;
        gains[g] = gains[g]! + Math.max(-step, Math.min(step, difference));
      }
      for (let input = 0; input < inputs; input += 1) {
        const sample = hand[input]![at + i]!;
        left[done + i] = left[done + i]! + gains[input]! * sample;
        right[done + i] = right[done + i]! + gains[inputs + input]! * sample;
      }
    }
  }
}
