/** A player by itself, for tests of what it asks the server for and hands to the audio thread. */
import { usePlayer } from "@/audio/player";
import type { HandReading } from "@/audio/heldSource";
import type { FromWorklet, ToWorklet } from "@/audio/worklet";
import { wishedForm } from "@/domain/sound";
import { Desk, settle as settleOnce, source } from "./desk";
import { packed, Stored, stored } from "./packed";

export const RATE = 48000;
export const FRAMES = RATE / 2;

/** Until all that is on its way has come, each segment unpacked. */
export async function settle(): Promise<void> {
  for (let i = 0; i < 12; i += 1) await settleOnce();
}

/** What the core says of a mono source that is held. */
const READING: HandReading = {
  two_sided: false, rows: [{ channel: 0, most: 1, taps: [{ offset: 0, gain: 1 }] }], weights: [1], table: "law", on_its_side: false, share: 1, here: 1, opposite: 0, most: 0, far: false,
  monitor: [[1, 0], [0, 1]], room: null,
}; // prettier-ignore

/** A segment as the server packs it: its audio says which one it is; what is held comes by itself. */
function body(index: number, held = false): ArrayBuffer {
  const channels = [...[0, 1].map(() => [index, index, index, index]), ...(held ? [[1, 1, 1, 1]] : [])];
  const [columns, rows] = [["lean"], [[0.5]]];
  return packed(
    { key: `k${index}`, channels, held: held ? 1 : 0, columns, rows, reading: held ? READING : null },
    {},
    stored,
  );
}

/** A part of the way to the outputs, of no matter here. */
class Part {
  [name: string]: unknown;
  gain = { setTargetAtTime: (): void => undefined };
  delayTime = this.gain;
  connect = (): void => undefined;
  disconnect = (): void => undefined;
}

export class Context {
  static refuses = false;
  currentTime = 0;
  baseLatency = 0;
  outputLatency = 0;
  state = "running";
  destination = { maxChannelCount: 2, channelCount: 2, channelInterpretation: "speakers" };
  addEventListener = (): void => undefined;
  createChannelSplitter = (): Part => new Part();
  createGain = (): Part => new Part();
  createDelay = (): Part => new Part();
  audioWorklet = { addModule: () => Promise.resolve() };
  constructor() {
    if (Context.refuses) throw new Error("no device");
  }
  resume = () => Promise.resolve();
  close = () => Promise.resolve();
}

export class Node {
  static latest: Node;
  sent: ToWorklet[] = [];
  port = {
    postMessage: (wish: ToWorklet) => void this.sent.push(wish),
    onmessage: (_: { data: FromWorklet }): void => undefined,
  };
  constructor() {
    Node.latest = this;
  }
  connect = (): void => undefined;
  disconnect = (): void => undefined;
  /** The audio thread says where it is. */
  says(position: number, more: Partial<FromWorklet> = {}): void {
    this.port.onmessage({ data: { position, time: 0, starved: false, ended: false, silent: 0, ...more } });
  }
  /** Where the hand wants the held source: its gain to left and right. */
  get gains(): [number, number] | undefined {
    const last = this.sent.findLast((one) => one.type === "hand");
    if (last?.type !== "hand") return undefined;
    const to = (output: number): number =>
      last.taps.filter((tap) => tap.output === output).reduce((sum, tap) => sum + tap.gain, 0);
    return [to(0), to(1)];
  }
  get segments(): { generation: number; index: number }[] {
    return this.sent.flatMap((one) => (one.type === "segment" ? [one] : []));
  }
}

export interface Asked {
  index: number;
  /** By what it is known already. */
  known: string | undefined;
  query: URLSearchParams;
  signal: AbortSignal;
  give: (status?: number, headers?: Record<string, string>) => Promise<void>;
  begin: () => Promise<void>;
}

/** A player in a session of two sources, and a server that gives segments when it is told to. */
export class PlayerBench {
  readonly asked: Asked[] = [];
  /** Whether segments come at once. */
  quick = true;
  readonly player = usePlayer();

  private constructor(
    readonly desk: Desk,
    readonly session: Awaited<ReturnType<Desk["open"]>>,
  ) {}

  static async open(): Promise<PlayerBench> {
    vi.stubGlobal("AudioContext", Context);
    vi.stubGlobal("AudioWorkletNode", Node);
    vi.stubGlobal("DecompressionStream", Stored);
    wishedForm.value = "float";
    Context.refuses = false;
    const desk = new Desk({
      sources: { oars: source("oars", 0), gulls: source("gulls", 1) },
      passages: { open: { id: "open", name: "Open", start: 2, end: 6 } },
    });
    const bench = new PlayerBench(desk, await desk.open());
    const others = globalThis.fetch;
    vi.stubGlobal("fetch", (path: string, options: RequestInit) => {
      const [, index, query] = /segments\/(\d+)\?(.*)/.exec(path) ?? [];
      return index === undefined ? others(path, options) : bench.answer(Number(index), query ?? "", options);
    });
    return bench;
  }

  private answer(index: number, query: string, options: RequestInit): Promise<Response> {
    return new Promise((answer, fail) => {
      const signal = options.signal!;
      signal.addEventListener("abort", () => fail(new DOMException("left", "AbortError")));
      const give = async (status = 200, more: Record<string, string> = {}): Promise<void> => {
        const headers = { ETag: `W/"t${index}"`, ...more };
        const refusal = '{"detail": "The stem cannot be read."}';
        const content = status === 200 ? body(index, query.includes("hand=")) : refusal;
        answer(new Response(status === 304 ? null : content, { status, headers }));
        await settle();
      };
      /** Its answer begins to come, and goes on coming. */
      const begin = async (): Promise<void> => {
        answer(new Response(new ReadableStream(), { headers: { ETag: `W/"t${index}"` } }));
        await settle();
      };
      const known = (options.headers as Record<string, string>)["If-None-Match"];
      this.asked.push({ index, known, query: new URLSearchParams(query), signal, give, begin });
      if (this.quick) void give();
    });
  }

  readonly indices = (): number[] => this.asked.map((one) => one.index);

  async play(): Promise<Node> {
    await this.player.play();
    await settle();
    return Node.latest;
  }

  async end(): Promise<void> {
    vi.useRealTimers();
    this.player.leave();
    await settle();
    vi.unstubAllGlobals();
  }
}
