// @vitest-environment happy-dom
/** Sound on this device: how it begins, what may stand in its way, and through which outputs it goes. */
import { OutputGraph } from "@/audio/outputGraph";
import { DIM, useOutputs, type MonitoredChannel, type Row } from "@/audio/outputs";
import { NoSound, useSoundDevice } from "@/audio/soundDevice";
import { usePlayer } from "@/audio/player";
import { useAccount } from "@/account/account";
import { createPinia, setActivePinia } from "pinia";
import { effectScope } from "vue";
import { Page } from "./page";

/** A node that knows where it goes: [output, target, input]. */
class Part {
  to: [number, Part, number][] = [];
  gain = new Ramp();
  delayTime = new Ramp();
  port = { postMessage: vi.fn(), onmessage: null };
  constructor(
    readonly kind: string,
    readonly inputs = 1,
  ) {}
  connect(target: Part, output = 0, input = 0): void {
    this.to.push([output, target, input]);
  }
  disconnect(): void {
    this.to = [];
  }
}

class Ramp {
  value = 1;
  setTargetAtTime(value: number): void {
    this.value = value;
  }
}

class Context {
  static made: Context[] = [];
  static fails = "";
  static outputs = 2;
  static loads = true;
  static begins = true;
  state = "suspended";
  currentTime = 0;
  sinkId = "";
  destination = Object.assign(new Part("destination"), { maxChannelCount: Context.outputs, channelCount: 2, channelInterpretation: "speakers" }); // prettier-ignore
  audioWorklet = { addModule: vi.fn(async () => { if (!Context.loads) throw new Error("gone"); }) }; // prettier-ignore
  sinks: string[] = [];
  listeners: (() => void)[] = [];
  constructor() {
    if (Context.fails) throw new DOMException("no", Context.fails);
    Context.made.push(this);
  }
  resume = async (): Promise<void> => {
    if (Context.begins) this.state = "running";
    else await new Promise(() => undefined);
  };
  close = async (): Promise<void> => void (this.state = "closed");
  addEventListener = (_: string, told: () => void): void => void this.listeners.push(told);
  createChannelSplitter = (): Part => new Part("splitter");
  createChannelMerger = (inputs: number): Part => new Part("merger", inputs);
  createGain = (): Part => new Part("gain");
  createDelay = (): Part => new Part("delay");
  async setSinkId(id: string): Promise<void> {
    if (id === "unplugged") throw new Error("not there");
    this.sinks.push((this.sinkId = id));
  }
}

const CHANNELS: MonitoredChannel[] = ["L", "R", "C"].map((label, output) => ({ name: label, label, output }));

/** A gain by its level (dB): what the core's table says. */
const gainOf = (level: number): number => 10 ** (level / 20);

beforeEach(() => {
  setActivePinia(createPinia());
  localStorage.clear();
  Object.assign(Context, { made: [], fails: "", outputs: 2, loads: true, begins: true });
  vi.stubGlobal("AudioContext", Context);
  vi.stubGlobal("AudioWorkletNode", class extends Part {
    constructor() {
      super("worklet");
    }
  }); // prettier-ignore
});
afterEach(() => void vi.unstubAllGlobals());

describe("the way to the outputs", () => {
  const laid = (rows: Row[], dimmed = false) => {
    const [context, from] = [new Context(), new Part("worklet")];
    const graph = new OutputGraph(context as never, from as never, rows.length, gainOf);
    graph.apply(rows, dimmed);
    const splitter = from.to[0]![1];
    /** Of each channel its gain, its delay (s), and the output that plays it. */
    const ways = splitter.to.map(([, gain]) => {
      const delay = gain.to[0]![1];
      return [gain.gain.value, delay.delayTime.value, delay.to[0]?.[2] ?? null];
    });
    return { context, graph, splitter, ways };
  };
  const row = (output: number | null, more: Partial<Row> = {}): Row => ({ output, trim: 0, delay: 0, muted: false, ...more }); // prettier-ignore

  it("leads each channel to its output, as loud and as late as it is set", () => {
    Context.outputs = 8;
    const { ways, context } = laid([
      row(0),
      row(5, { trim: -6, delay: 12 }),
      row(null),
      row(1, { muted: true }),
    ]);
    expect(ways).toEqual([
      [1, 0, 0],
      [10 ** (-6 / 20), 0.012, 5],
      [1, 0, null],
      [0, 0, 1],
    ]);
    expect([context.destination.channelCount, context.destination.channelInterpretation]).toEqual([
      6,
      "discrete",
    ]);
  });

  it("leads nowhere where the device has no such output, and is softer while it is dimmed", () => {
    const { ways } = laid([row(0), row(7)], true);
    expect(ways).toEqual([
      [10 ** (DIM / 20), 0, 0],
      [10 ** (DIM / 20), 0, null],
    ]);
  });

  it("leads both sides straight to the device where nothing is set", () => {
    const [context, from] = [new Context(), new Part("worklet")];
    const graph = new OutputGraph(context as never, from as never, 2, gainOf);
    graph.apply([row(0), row(1)], false);
    expect(from.to.map(([, to]) => to.kind)).toEqual(["destination"]);
    graph.apply([row(0), row(1)], true);
    expect(from.to.map(([, to]) => to.kind)).toEqual(["splitter"]);
    graph.apply([row(0), row(1)], false);
    expect(from.to.map(([, to]) => to.kind)).toEqual(["destination"]);
  });

  it("lays its ways anew only where a channel goes elsewhere", () => {
    const { graph, splitter } = laid([row(0), row(1, { trim: 1 })]);
    const merger = splitter.to[0]![1].to[0]![1].to[0]![1];
    graph.apply([row(0, { trim: 3 }), row(1, { trim: 1 })], false);
    expect(splitter.to[0]![1].to[0]![1].to[0]![1]).toBe(merger);
    graph.apply([row(1), row(0)], false);
    expect(splitter.to[0]![1].to[0]![1].to[0]![1]).not.toBe(merger);
  });
});

describe("what each output plays", () => {
  it("is usually each channel by its own, where the device has it", () => {
    const outputs = useOutputs();
    expect(outputs.rowsOf("3", CHANNELS).map((one) => one.output)).toEqual([0, 1, null]);
    outputs.count = 8;
    expect(outputs.rowsOf("3", CHANNELS).map((one) => one.output)).toEqual([0, 1, 2]);
  });

  it("is kept for each person, device and layout", () => {
    useAccount().me = { id: 7 } as never;
    const outputs = useOutputs();
    outputs.set("3", CHANNELS, "R", { output: 5, trim: -3 });
    outputs.dimmed = true;
    expect(outputs.rowsOf("3", CHANNELS)[1]).toEqual({ output: 5, trim: -3, delay: 0, muted: false });
    expect(outputs.rowsOf("stereo", CHANNELS)[1]!.output).toBe(1);
    outputs.device = "other";
    expect(outputs.rowsOf("3", CHANNELS)[1]!.output).toBe(1);

    setActivePinia(createPinia());
    useAccount().me = { id: 7 } as never;
    const later = useOutputs();
    expect([later.device, later.dimmed]).toEqual(["other", true]);
    later.device = "";
    expect(later.rowsOf("3", CHANNELS)[1]!.trim).toBe(-3);
    later.reset("3");
    expect(later.rowsOf("3", CHANNELS)[1]!.trim).toBe(0);

    setActivePinia(createPinia());
    useAccount().me = { id: 8 } as never;
    expect(useOutputs().dimmed).toBe(false);
  });

  it("starts as usual where what was kept cannot be read", () => {
    localStorage.setItem("needle.outputs.", "{");
    expect(useOutputs().rowsOf("stereo", CHANNELS)[0]!.output).toBe(0);
  });
});

describe("a sound device", () => {
  const made = () => {
    const stopped = vi.fn();
    const device = effectScope().run(() =>
      useSoundDevice({
        rate: () => 48000,
        width: () => 2,
        segmentFrames: () => 24000,
        total: () => 96000,
        rows: () => useOutputs().rowsOf("stereo", CHANNELS.slice(0, 2)),
        gainOf,
        hear: () => undefined,
        stopped,
      }),
    )!;
    return { device, stopped };
  };
  const why = async (device: ReturnType<typeof useSoundDevice>): Promise<string> => {
    try {
      await device.wake();
    } catch (error) {
      expect(error).toBeInstanceOf(NoSound);
      return (error as Error).message;
    }
    return "";
  };

  it("begins once, and goes on from there", async () => {
    const { device } = made();
    expect(await device.wake()).toBe(true);
    expect(await device.wake()).toBe(false);
    expect(Context.made.length).toBe(1);
    device.close();
    expect(device.isThere()).toBe(false);
  });

  it("begins once for two presses, the second before the first has been answered", async () => {
    const { device } = made();
    await Promise.all([device.wake(), device.wake()]);
    expect(Context.made.length).toBe(1);
  });

  it("begins anew after its player could not be loaded", async () => {
    const { device } = made();
    Context.loads = false;
    expect(await why(device)).toContain("could not be loaded");
    expect([device.isThere(), Context.made[0]!.state]).toEqual([false, "closed"]);
    Context.loads = true;
    expect(await device.wake()).toBe(true);
  });

  it("says why there is none: the address, the rate, the browser, a missing press", async () => {
    const { device } = made();
    vi.stubGlobal("isSecureContext", false);
    expect(await why(device)).toContain("by https");
    vi.stubGlobal("isSecureContext", true);
    Context.fails = "NotSupportedError";
    expect(await why(device)).toContain("cannot play at 48 kHz");
    Context.fails = "UnknownError";
    expect(await why(device)).toContain("cannot play sound here");
    [Context.fails, Context.begins] = ["", false];
    vi.stubGlobal(
      "navigator",
      Object.assign(Object.create(navigator), { userActivation: { hasBeenActive: false } }),
    );
    expect(await why(device)).toContain("Press play to listen");
    Context.begins = true;
    expect(await why(device)).toBe("");
  });

  it("says so when something else takes it, not when it was told to rest", async () => {
    const { device, stopped } = made();
    await device.wake();
    const [context] = Context.made;
    context!.state = "suspended";
    for (const told of context!.listeners) told();
    expect(stopped).toHaveBeenCalledWith(expect.stringContaining("has stopped the sound"));
    stopped.mockClear();
    device.rest();
    for (const told of context!.listeners) told();
    expect(stopped).not.toHaveBeenCalled();
  });

  it("plays through the chosen device, and through the system's where that is gone", async () => {
    const outputs = useOutputs();
    const { device } = made();
    outputs.device = "desk";
    await device.wake();
    expect(Context.made[0]!.sinks).toEqual(["desk"]);
    outputs.device = "unplugged";
    await device.choose();
    expect(outputs.trouble).toContain("is not there");
    expect(Context.made[0]!.sinkId).toBe("");
    outputs.device = "";
    await device.choose();
    expect(outputs.trouble).toBe("");
  });
});

describe("the dialog of sound", () => {
  let page: Page;
  afterEach(() => page.end());

  it("says how sound comes and why, and keeps what one wishes", async () => {
    page = new Page("stereo");
    await page.desk("move");
    await page.press("Sound on this device");
    await page.until(() => page.text.includes("Exports are always lossless"), "the dialog opens");
    const flac = document.querySelector<HTMLInputElement>("input[name=sound][value=flac]")!;
    flac.checked = true;
    flac.dispatchEvent(new Event("change"));
    await page.until(() => page.posted.length > 0, "the preference is kept");
    expect(usePlayer().form).toBe("flac");
    expect(page.posted.at(-1)).toMatchObject({ method: "PUT", body: { sound: "flac" } });
  });

  it("has an output, a trim and a delay for every channel of a room", async () => {
    page = new Page("room");
    await page.desk("place");
    await page.press("Sound on this device");
    await page.until(() => page.text.includes("Monitor on loudspeakers"), "the dialog opens");
    await page.press("Monitor on loudspeakers");
    const channels = usePlayer().monitored.channels;
    expect(channels.length).toBeGreaterThan(5);
    expect(page.text).toContain("channels have none and are not heard");
    useOutputs().count = 16;
    await page.until(() => !page.text.includes("have none"), "every channel has an output");
    const select = page.named("select", `Output of ${channels[2]!.label}`) as HTMLSelectElement;
    select.value = "9";
    select.dispatchEvent(new Event("change"));
    expect(useOutputs().rowsOf(usePlayer().monitored.layout, channels)[2]!.output).toBe(9);
    await page.press("Usual outputs");
    expect(useOutputs().rowsOf(usePlayer().monitored.layout, channels)[2]!.output).toBe(channels[2]!.output);
  });
});
