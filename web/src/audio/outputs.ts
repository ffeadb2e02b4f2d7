/**
 * Through which outputs of which device sound goes: of every channel its output, trim, delay and mute; dimmed or not.
 * Personal, and kept for each device and layout in this browser.
 */
import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { useAccount } from "@/account/account";

/** A channel that is heard: its name, its label, and which output (from 0) usually plays it. */
export interface MonitoredChannel {
  name: string;
  label: string;
  output: number;
}

/** How a channel goes out: at which output (none: it is not heard), how much louder (dB), how much later (ms). */
export interface Row {
  output: number | null;
  trim: number;
  delay: number;
  muted: boolean;
}

export const [LEAST_TRIM, MOST_TRIM] = [-24, 12];
export const MOST_DELAY = 100;
/** By how much (dB) all is softer while it is dimmed. */
export const DIM = -20;

export interface Device {
  id: string;
  /** Its name, where the browser tells it. */
  name: string;
}

interface Settings {
  device: string;
  dimmed: boolean;
  /** By device and layout, then by channel. */
  rows: Record<string, Record<string, Row>>;
}

const USUAL: Settings = { device: "", dimmed: false, rows: {} };
const keyOf = (user: number | undefined): string => `needle.outputs.${user ?? ""}`;

function remembered(user: number | undefined): Settings {
  try {
    return { ...USUAL, ...(JSON.parse(localStorage.getItem(keyOf(user)) ?? "{}") as Partial<Settings>) };
  } catch {
    return { ...USUAL };
  }
}

export const useOutputs = defineStore("outputs", () => {
  const account = useAccount();
  const settings = ref<Settings>({ ...USUAL });
  const devices = ref<Device[]>([]);
  /** How many outputs the device has; told once sound has been started. */
  const count = ref(2);
  /** Why sound does not come out of the chosen device. */
  const trouble = ref("");

  watch(
    () => account.me?.id,
    (user) => (settings.value = remembered(user)),
    { immediate: true },
  );

  function keep(): void {
    try {
      localStorage.setItem(keyOf(account.me?.id), JSON.stringify(settings.value));
    } catch {
      /* it holds for this page */
    }
  }

  const placeOf = (layout: string): string => `${settings.value.device} ${layout}`;

  /** How a layout's channels go out; usually each by its own output, where the device has it. */
  function rowsOf(layout: string, channels: readonly MonitoredChannel[]): Row[] {
    const own = settings.value.rows[placeOf(layout)] ?? {};
    return channels.map(
      ({ name, output }) =>
        own[name] ?? { output: output < count.value ? output : null, trim: 0, delay: 0, muted: false },
    );
  }

  function set(
    layout: string,
    channels: readonly MonitoredChannel[],
    name: string,
    change: Partial<Row>,
  ): void {
    const rows = rowsOf(layout, channels);
    const all = Object.fromEntries(channels.map((channel, i) => [channel.name, { ...rows[i] } as Row]));
    const row = all[name];
    if (!row) return;
    all[name] = { ...row, ...change };
    settings.value = { ...settings.value, rows: { ...settings.value.rows, [placeOf(layout)]: all } };
    keep();
  }

  /** Every channel by its usual output again. */
  function reset(layout: string): void {
    const rows = Object.entries(settings.value.rows).filter(([place]) => place !== placeOf(layout));
    settings.value = { ...settings.value, rows: Object.fromEntries(rows) };
    keep();
  }

  const device = computed({
    get: () => settings.value.device,
    set: (id: string) => {
      settings.value = { ...settings.value, device: id };
      keep();
    },
  });
  const dimmed = computed({
    get: () => settings.value.dimmed,
    set: (on: boolean) => {
      settings.value = { ...settings.value, dimmed: on };
      keep();
    },
  });

  /** Whether this browser lets a page choose where its sound goes. */
  const canChoose = typeof AudioContext !== "undefined" && "setSinkId" in AudioContext.prototype;

  /** Look which devices there are; most browsers name them only to a page that may use the microphone. */
  async function look(byName = false): Promise<void> {
    if (!navigator.mediaDevices) return;
    if (byName) {
      const stream = await navigator.mediaDevices.getUserMedia({ audio: true });
      for (const track of stream.getTracks()) track.stop();
    }
    const all = await navigator.mediaDevices.enumerateDevices();
    devices.value = all
      .filter(({ kind, deviceId }) => kind === "audiooutput" && deviceId && deviceId !== "default")
      .map(({ deviceId, label }) => ({ id: deviceId, name: label }));
  }

  return { device, dimmed, devices, count, trouble, canChoose, rowsOf, set, reset, look };
});

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
