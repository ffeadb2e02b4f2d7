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
