/** The audio thread's end of the player: takes segments and wishes, plays, and says where it is. */
import { must } from "@/domain/must";
import { Voice, type PlayedSegment, type Round, type Tap } from "./voice";

declare const currentTime: number;
declare class AudioWorkletProcessor {
  readonly port: MessagePort;
  constructor(options: { processorOptions: { segmentFrames: number; total: number } });
}
declare function registerProcessor(name: string, processor: typeof AudioWorkletProcessor): void;

export type ToWorklet =
  | { type: "segment"; generation: number; index: number; segment: PlayedSegment }
  | { type: "drop"; indices: number[] }
  | { type: "play"; playing: boolean }
  | { type: "seek"; position: number }
  | { type: "round"; round: Round | null }
  | { type: "ready"; segments: number }
  | { type: "hand"; taps: Tap[]; atOnce: boolean }
  | { type: "total"; total: number };

export interface FromWorklet {
  position: number;
  time: number;
  starved: boolean;
  ended: boolean;
  /** Frames of silence so far that stood where sound should have been. */
  silent: number;
}

/** Blocks of 128 frames between two reports. */
const REPORT_EVERY = 6;

/** Frames over which starting and stopping fade, so that neither clicks. */
const FADE = 240;

class NeedlePlayer extends AudioWorkletProcessor {
  private readonly voice: Voice;
  private playing = false;
  private fade = 0;
  private blocks = 0;
  /** What is reported, over and over: nothing is made while it plays. */
  private readonly told: FromWorklet = { position: 0, time: 0, starved: false, ended: false, silent: 0 };

  constructor(options: { processorOptions: { segmentFrames: number; total: number } }) {
    super(options);
    const { segmentFrames, total } = options.processorOptions;
    this.voice = new Voice(segmentFrames, total);
    this.port.onmessage = (event: MessageEvent<ToWorklet>) => this.obey(event.data);
  }

  private obey(wish: ToWorklet): void {
    if (wish.type === "segment") this.voice.put(wish.generation, wish.index, wish.segment);
    else if (wish.type === "drop") this.voice.drop(wish.indices);
    else if (wish.type === "play") this.playing = wish.playing;
    else if (wish.type === "seek") this.voice.seek(wish.position);
    else if (wish.type === "round") this.voice.round = wish.round;
    else if (wish.type === "ready") this.voice.ready = wish.segments;
    else if (wish.type === "total") this.voice.total = wish.total;
    else this.voice.follow(wish.taps, wish.atOnce);
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const channels = outputs[0];
    if (!channels?.length) return true;
    if (!this.playing && this.fade === 0) {
      if ((this.blocks += 1) % REPORT_EVERY === 0) this.report(false);
      return true;
    }
    const whole = this.voice.render(channels);
    if (this.fade < FADE || !this.playing) this.fadeInOrOut(channels);
    // What is missing is told at once, and then no more often than where one is.
    const isNews = !whole && !this.told.starved;
    if ((this.blocks += 1) % REPORT_EVERY === 0 || isNews) this.report(!whole);
    return true;
  }

  private fadeInOrOut(channels: Float32Array[]): void {
    const step = this.playing ? 1 : -1;
    const frames = must(channels[0]).length;
    for (let i = 0; i < frames; i += 1) {
      this.fade = Math.max(0, Math.min(FADE, this.fade + step));
      for (let channel = 0; channel < channels.length; channel += 1) {
        const out = must(channels[channel]);
        out[i] = (must(out[i]) * this.fade) / FADE;
      }
    }
  }

  private report(starved: boolean): void {
    this.told.position = this.voice.position;
    this.told.time = currentTime;
    this.told.starved = starved;
    this.told.ended = this.voice.ended;
    this.told.silent = this.voice.silent;
    this.port.postMessage(this.told);
  }
}

registerProcessor("needle-player", NeedlePlayer);
