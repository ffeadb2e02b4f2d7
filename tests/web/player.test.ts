/** The player by itself: what it asks the server for, when, and what it hands to the audio thread. */
import { usePlayer } from "@/audio/player";
import type { HandReading } from "@/audio/heldSource";
import { wishedForm } from "@/domain/sound";
import type { FromWorklet, ToWorklet } from "@/audio/worklet";
import { packed, Stored, stored } from "./packed";
import { Desk, settle as settleOnce, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

const RATE = 48000;
const FRAMES = RATE / 2;

/** Until all that is on its way has come, each segment unpacked. */
async function settle(): Promise<void> {
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

class Context {
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
  audioWorklet = { addModule: async () => undefined };
  constructor() {
    if (Context.refuses) throw new Error("no device");
  }
  resume = async () => undefined;
  close = async () => undefined;
}

class Node {
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

interface Asked {
  index: number;
  /** By what it is known already. */
  known: string | undefined;
  query: URLSearchParams;
  signal: AbortSignal;
  give: (status?: number) => Promise<void>;
}

describe("the player", () => {
  let desk: Desk;
  let asked: Asked[];
  /** Whether segments come at once. */
  let quick: boolean;
  let player: ReturnType<typeof usePlayer>;
  let session: Awaited<ReturnType<Desk["open"]>>;

  beforeEach(async () => {
    vi.stubGlobal("AudioContext", Context);
    vi.stubGlobal("AudioWorkletNode", Node);
    vi.stubGlobal("DecompressionStream", Stored);
    wishedForm.value = "float";
    Context.refuses = false;
    [asked, quick] = [[], true];
    desk = new Desk({
      sources: { oars: source("oars", 0), gulls: source("gulls", 1) },
      passages: { open: { id: "open", name: "Open", start: 2, end: 6 } },
    });
    const others = globalThis.fetch;
    vi.stubGlobal("fetch", (path: string, options: RequestInit) => {
      const found = /segments\/(\d+)\?(.*)/.exec(path);
      if (!found) return others(path, options);
      return new Promise<Response>((answer, fail) => {
        const index = Number(found[1]);
        const signal = options.signal!;
        signal.addEventListener("abort", () => fail(new DOMException("left", "AbortError")));
        const give = async (status = 200): Promise<void> => {
          if (status === 304) return void (answer(new Response(null, { status })), await settle());
          const sound = body(index, found[2]!.includes("hand="));
          const headers = { ETag: `W/"t${index}"` };
          const content = status === 200 ? sound : '{"detail": "The stem cannot be read."}';
          answer(new Response(content, { status, headers }));
          await settle();
        };
        const known = (options.headers as Record<string, string>)["If-None-Match"];
        asked.push({ index, known, query: new URLSearchParams(found[2]), signal, give });
        if (quick) void give();
      });
    });
    session = await desk.open();
    player = usePlayer();
  });
  afterEach(async () => {
    vi.useRealTimers();
    player.leave();
    await settle();
    vi.unstubAllGlobals();
  });

  const indices = (): number[] => asked.map((one) => one.index);
  async function play(): Promise<Node> {
    await player.play();
    await settle();
    return Node.latest;
  }

  it("asks for what sounds next, two at a time, and hands it over", async () => {
    quick = false;
    const node = await play();
    expect(indices()).toEqual([0, 1]);
    await asked[1]!.give();
    expect(indices()).toEqual([0, 1, 2]);
    await asked[0]!.give();
    await asked[2]!.give();
    await asked[3]!.give();
    expect(indices()).toEqual([0, 1, 2, 3]);
    expect(node.segments.map((one) => one.index)).toEqual([1, 0, 2, 3]);
    expect(node.sent.find((one) => one.type === "play")).toEqual({ type: "play", playing: true });
  });

  it("keeps about two seconds ahead of what sounds, and asks for nothing twice", async () => {
    const node = await play();
    for (const at of [0.4, 0.7, 1.1, 1.5, 1.9]) {
      node.says(at * 2 * FRAMES);
      await settle();
    }
    expect(indices()).toEqual([0, 1, 2, 3, 4, 5, 6]);
    node.says(15 * FRAMES);
    await settle();
    expect(indices().slice(7)).toEqual([15]);
  });

  it("follows the round: what comes after its end is its beginning", async () => {
    player.round = "open";
    player.seek(2.6);
    const node = await play();
    // From 1 s to 3 s: segments 2 to 5.
    expect(node.sent).toContainEqual({ type: "round", round: { start: RATE, stop: 3 * RATE } });
    expect(indices()).toEqual([5, 2, 3, 4]);
    player.round = null;
    await settle();
    expect(node.sent.at(-1)).not.toEqual(
      expect.objectContaining({ type: "round", round: { start: RATE, stop: 3 * RATE } }),
    );
    expect(indices().slice(4)).toEqual([6, 7, 8]);
  });

  it("asks anew when somebody has changed something; what was asked before still comes where nothing is", async () => {
    quick = false;
    const node = await play();
    const before = [...asked];
    await before[0]!.give();
    quick = true;
    desk.hear(desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]));
    await settle();
    // Of segment 0 there is some sound: what else is on its way to it is called off, the others come.
    const waiting = asked.filter((one) => one.query.get("revision") === "5" && one !== before[0]);
    expect(waiting.filter((one) => one.index !== 0).every((one) => !one.signal.aborted)).toBe(true);
    for (const one of waiting) await one.give();
    await settle();
    expect(
      [...new Set(asked.filter((one) => one.query.get("revision") === "6").map((one) => one.index))].sort(),
    ).toEqual([0, 1, 2, 3]);
    // Of each segment the later version takes over from the earlier.
    for (const index of [0, 1, 2, 3]) {
      const versions = node.segments.filter((one) => one.index === index).map((one) => one.generation);
      expect(versions).toEqual([...new Set(versions)].sort((a, b) => a - b));
      expect(asked.findLast((one) => one.index === index)!.query.get("revision")).toBe("6");
    }
  });

  it("hears revisions that come quickly as one", async () => {
    const node = await play();
    const first = node.segments.length;
    for (let i = 1; i <= 5; i += 1) {
      desk.hear(desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: i / 10 }) }]));
      await settle();
    }
    const generations = new Set(node.segments.slice(first).map((one) => one.generation));
    expect(generations.size).toBeLessThan(5);
    await vi.waitFor(() => expect(asked.at(-1)!.query.get("revision")).toBe("10"));
  });

  it("says what is there already, and leaves alone what an edit has not changed", async () => {
    const node = await play();
    const before = node.segments.length;
    [quick, asked.length] = [false, 0];
    desk.hear(desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]));
    await settle();
    expect(asked.map((one) => [one.query.get("has"), one.known])).toEqual([
      ["k0", 'W/"t0"'],
      ["k1", 'W/"t1"'],
    ]);
    await asked[0]!.give(304);
    await asked[1]!.give(304);
    for (const one of asked.slice(2)) await one.give(304);
    await settle();
    expect(asked.map((one) => one.index)).toEqual([0, 1, 2, 3]);
    expect(node.segments.length).toBe(before);
  });

  it("asks again for the sound of what a hand had left out", async () => {
    await play();
    player.grasp(session.sources.find((one) => one.id === "oars")!);
    await settle();
    const held = asked.length;
    player.release(false);
    await settle();
    expect(asked.slice(held).every((one) => !one.query.has("has") && !one.known)).toBe(true);
  });

  it("keeps the segments of a passage while one goes round it, and drops them afterwards", async () => {
    player.round = "open";
    player.seek(1);
    const node = await play();
    for (const at of [2.5, 3.5, 4.5, 5.5, 2.5, 3.5, 4.5, 5.5, 2.5]) {
      node.says(at * FRAMES);
      await settle();
    }
    expect(indices().sort()).toEqual([2, 3, 4, 5]);
    player.round = null;
    node.says(9.5 * FRAMES);
    await settle();
    const dropped = node.sent.flatMap((one) => (one.type === "drop" ? one.indices : []));
    expect(dropped.sort()).toEqual([2, 3, 4, 5]);
  });

  it("keeps more ready after sound was scarce, and says in what form it comes", async () => {
    const node = await play();
    node.says(0.1 * FRAMES);
    quick = false;
    node.says(3.5 * FRAMES);
    await settle();
    for (const one of asked.slice(4)) await one.give();
    await settle();
    const ahead = Math.max(...indices()) - 3;
    expect(ahead).toBeGreaterThan(3);
    expect(player.form).toBe("float");
    expect(asked.at(-1)!.query.get("form")).toBeNull();
    [quick, wishedForm.value] = [true, "opus-96"];
    for (const one of asked) await one.give();
    node.says(6.5 * FRAMES);
    await settle();
    expect(asked.at(-1)!.query.get("form")).toBe("opus-96");
  });

  it("says how the segments before sounded, from where the playhead was sent to last", async () => {
    const node = await play();
    node.says(2.5 * FRAMES);
    await settle();
    asked.length = 0;
    desk.hear(desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]));
    await settle();
    // What is asked for anew is not among what has sounded.
    const past = (): (string | null)[] => asked.map((request) => request.query.get("past"));
    expect(asked.map((request) => request.index)).toEqual([2, 3, 4, 5]);
    expect(past().slice(0, 2)).toEqual([",,,,k0,k1", ",,,k0,k1,"]);
    player.seek(6);
    await settle();
    const sought = asked.filter((request) => request.index >= 12);
    expect(sought.map((request) => request.index)).toEqual([12, 13, 14, 15]);
    expect(sought[0]!.query.get("past")).toBeNull();
  });

  it("asks for what one hears for oneself: solo, the way of listening, a click, what is on trial", async () => {
    await play();
    const last = async (): Promise<Record<string, string>> => {
      await settle();
      const query = new URLSearchParams(asked.at(-1)!.query);
      query.delete("ahead");
      query.delete("past");
      query.delete("has");
      return Object.fromEntries(query);
    };
    expect(asked.map((request) => request.query.get("ahead"))).toEqual([null, "0.5", "1", "1.5"]);
    expect(await last()).toEqual({ revision: "5" });
    player.soloOnly("oars", false);
    expect(await last()).toEqual({ revision: "5", solo: "oars" });
    player.soloThese(["oars"]);
    player.monitor = "mono";
    player.click = true;
    expect(await last()).toEqual({ revision: "5", monitor: "mono", click: "true" });
    player.monitor = "stereo";
    player.click = false;
    player.trial = { changes: [{ source: "oars", level: -1.5, place: 0.1 }], trim: 0.25 };
    expect(await last()).toEqual({ revision: "5", trial: "oars:-1.5:0.1", trim: "0.250" });
    player.trial = null;
    player.bypass = { source: "gulls", treatment: "delay_panning", at: 3.5 };
    expect(await last()).toEqual({ revision: "5", bypass: "gulls:delay_panning", at: "3.5" });
    player.bypass = null;
    player.earlier = { revision: 2, trim: -1 };
    expect(await last()).toEqual({ revision: "2", trim: "-1.000" });
  });

  it("says from which bar on there is no sound and why, tries again, and says no more once it comes", async () => {
    quick = false;
    await play();
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    await asked[0]!.give(500);
    expect(player.trouble).toBe("No sound from bar 1.1: The stem cannot be read.");
    await vi.advanceTimersByTimeAsync(600);
    const again = asked.findLast((one) => one.index === 0)!;
    expect(again).not.toBe(asked[0]);
    await again.give();
    expect(player.trouble).toBe("");
  });

  it("stops at the end, and begins again from the start", async () => {
    const node = await play();
    node.says(16 * FRAMES, { ended: true });
    expect(player.playing).toBe(false);
    expect(player.playhead).toBe(session.length);
    await play();
    expect(player.playhead).toBe(0);
    expect(node.sent).toContainEqual({ type: "seek", position: 0 });
  });

  it("goes where it is sent, within the piece, and tells colleagues at once", async () => {
    const node = await play();
    const told = (): unknown => desk.wire.said.filter((one) => one.type === "presence").at(-1)!.playhead;
    player.seek(3);
    expect(node.sent.at(-1)).not.toBeUndefined();
    expect(node.sent).toContainEqual({ type: "seek", position: 3 * RATE });
    expect(told()).toBe(3);
    player.seek(99);
    expect(told()).toBe(session.length);
    player.seek(-1);
    expect(told()).toBe(0);
  });

  it("says so where a browser gives no sound", async () => {
    Context.refuses = true;
    await player.play();
    expect(player.playing).toBe(false);
    expect(player.trouble).toContain("cannot play sound here");
    expect(asked).toEqual([]);
  });

  it("starts over in the next session: nothing of the last is heard", async () => {
    quick = false;
    await play();
    player.solo = ["oars"];
    player.round = "open";
    player.leave();
    expect(asked.every((one) => one.signal.aborted)).toBe(true);
    expect([player.playing, player.solo, player.round, player.playhead]).toEqual([false, [], null, 0]);
  });

  it("solos one, several, parts of one, and hears what is muted when it is soloed", () => {
    player.soloOnly("oars", false);
    player.soloOnly("gulls", true);
    expect(player.solo).toEqual(["oars", "gulls"]);
    player.soloOnly("oars", true);
    expect([player.hears("gulls", true), player.hears("oars", false)]).toEqual([true, false]);
    player.solo = ["gulls.left"];
    expect([player.hears("gulls", false), player.hears("gul", false)]).toEqual([true, false]);
    player.solo = [];
    expect([player.hears("oars", false), player.hears("oars", true)]).toEqual([true, false]);
  });

  describe("with a hand on a source", () => {
    const oars = () => session.sources.find((one) => one.id === "oars")!;

    it("hears it through the core's gains at once, and again from the render when it has come back", async () => {
      const node = await play();
      const before = asked.length;
      player.grasp(oars());
      await settle();
      expect(asked.slice(before).map((one) => one.query.get("hand"))).toEqual([
        "oars",
        "oars",
        "oars",
        "oars",
      ]);
      // In the middle to begin with, then where the hand goes, without anything asked.
      expect(node.gains).toEqual([0.7, 0.7]);
      session.pending.set("oars.pan", { value: -1, ids: new Set() } as never);
      player.moveHand(oars());
      const held = asked.length;
      expect(node.gains).toEqual([1, 0]);
      player.release(true);
      await settle();
      expect(asked.length).toBe(held);
      desk.hear(desk.told([{ part: "sources", key: "oars", value: source("oars", 0, { pan: -1 }) }]));
      await settle();
      const after = asked.slice(held).map((one) => [one.query.get("hand"), one.query.get("revision")]);
      expect(after).toEqual([0, 1, 2, 3].map(() => [null, "6"]));
    });

    it("hears the render again when nothing was changed", async () => {
      await play();
      player.grasp(oars());
      await settle();
      const before = asked.length;
      player.release(false);
      await settle();
      expect(asked.slice(before).every((one) => !one.query.has("hand"))).toBe(true);
      expect(asked.length).toBe(before + 4);
    });

    it("takes the level along where the hand holds it", async () => {
      await play();
      player.grasp(oars(), true);
      await settle();
      expect(asked.at(-1)!.query.get("free")).toBe("true");
      player.release(false);
    });

    it("leaves alone what is frozen, and what does not play", async () => {
      player.grasp(oars());
      expect(asked).toEqual([]);
      await play();
      const before = asked.length;
      player.grasp({ ...oars(), frozen_asset: "f".repeat(64) });
      await settle();
      expect(asked.length).toBe(before);
    });

    it("is not disturbed by what colleagues change meanwhile", async () => {
      await play();
      player.grasp(oars());
      await settle();
      const before = asked.length;
      desk.hear(desk.told([{ part: "sources", key: "gulls", value: source("gulls", 1, { pan: 0.5 }) }]));
      await settle();
      expect(asked.length).toBe(before);
      player.release(false);
    });
  });
});
