/** The nodes between the audio thread and the device: each channel to its output, as loud and as late as it is set. */
import { DIM, MOST_DELAY, type Row } from "./outputs";

/** Frames' worth (s) over which a level follows, so that it does not click. */
const SMOOTH = 0.01;

const isPlain = (row: Row, at: number): boolean => row.output === at && !row.trim && !row.delay && !row.muted;

/** The way of the channels from the audio thread to the device's outputs. */
export class OutputGraph {
  private readonly splitter: ChannelSplitterNode;
  private readonly gains: GainNode[] = [];
  private readonly trims: GainNode[] = [];
  private readonly delays: DelayNode[] = [];
  private merger: ChannelMergerNode | null = null;
  private outputs = "";
  /** Whether sound goes straight to the device: two sides, each by its own output, as they are. */
  private straight: boolean | null = null;

  constructor(
    private readonly context: AudioContext,
    private readonly from: AudioNode,
    private readonly channels: number,
    /** The gain of a level (dB), by the core's table. */
    private readonly gainOf: (level: number) => number,
  ) {
    this.splitter = context.createChannelSplitter(channels);
    for (let i = 0; i < channels; i += 1) {
      const [gain, trim] = [context.createGain(), context.createGain()];
      const delay = context.createDelay(MOST_DELAY / 1000);
      this.splitter.connect(gain, i);
      gain.connect(delay);
      trim.connect(delay);
      this.gains.push(gain);
      this.trims.push(trim);
      this.delays.push(delay);
    }
  }

  /** How many outputs the device has; some browsers tell of none where there are two. */
  get count(): number {
    return Math.max(this.context.destination.maxChannelCount, 2);
  }

  apply(rows: readonly Row[], dimmed: boolean): void {
    this.go(!dimmed && rows.length === 2 && rows.every(isPlain));
    if (!this.straight) this.connect(rows);
    const now = this.context.currentTime;
    rows.slice(0, this.channels).forEach((row, i) => {
      const trim = this.gainOf(row.trim);
      this.gains[i]?.gain.setTargetAtTime(
        row.muted ? 0 : trim * (dimmed ? this.gainOf(DIM) : 1),
        now,
        SMOOTH,
      );
      this.trims[i]?.gain.setTargetAtTime(trim, now, SMOOTH);
      this.delays[i]?.delayTime.setTargetAtTime(row.delay / 1000, now, SMOOTH);
    });
  }

  private go(straight: boolean): void {
    if (straight === this.straight) return;
    this.straight = straight;
    this.from.disconnect();
    if (straight) this.from.connect(this.context.destination);
    else this.from.connect(this.splitter);
  }

  /** Lay the ways anew where some channel goes elsewhere than before. */
  private connect(rows: readonly Row[]): void {
    const { destination } = this.context;
    const width = Math.max(2, ...rows.map(({ output }) => (output ?? 0) + 1));
    const used = Math.min(width, this.count);
    const wanted = `${used} ${rows.map(({ output }) => output).join()}`;
    if (wanted === this.outputs) return;
    this.outputs = wanted;
    for (const delay of this.delays) delay.disconnect();
    this.merger?.disconnect();
    // A device without a sound card has none to choose from.
    if (used <= destination.maxChannelCount) destination.channelCount = used;
    destination.channelInterpretation = "discrete";
    const merger = this.context.createChannelMerger(used);
    this.merger = merger;
    rows.forEach(({ output }, i) => {
      if (output !== null && output < used) this.delays[i]?.connect(merger, 0, output);
    });
    merger.connect(destination);
  }

  /** A burst through one channel's output, muted or not. */
  burst(channel: number, sound: AudioBuffer, rows: readonly Row[]): Promise<void> {
    this.connect(rows);
    const source = this.context.createBufferSource();
    source.buffer = sound;
    const into = this.trims[channel];
    if (!into) return Promise.resolve();
    source.connect(into);
    source.start();
    return new Promise((resolve) => (source.onended = () => resolve()));
  }

  close(): void {
    this.from.disconnect();
    this.merger?.disconnect();
  }
}
