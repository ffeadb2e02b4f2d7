/** Files being imported in: part by part, gone on with after the line was lost, stopped, and made into sources. */
import { useArrivals } from "@/features/import/uploads";
import { Desk } from "./desk";

const PART = 10;
const character = {
  kind: "mono",
  peak_db: -40,
  rms_db: -50,
  correlation: null,
  clipped: 0,
  gain: 28,
  sentence: "Mono.",
};

/** A text as the server says it. */
const plain = (text: string) => (text ? [{ code: "", parameters: {}, text }] : []);

/** A server that takes files: what it has of each, and what it makes of them. */
class Taking {
  received = 0;
  status = "receiving";
  parts: [number, number][] = [];
  cancelled = false;
  line: "up" | "down" | "answer lost" = "up";
  channels = 1;
  refusal = "";
  notice = "";

  constructor(readonly size: number) {}

  state() {
    const asset = { id: "a".repeat(64), channels: this.channels, rate: 44100, seconds: 2, character };
    return {
      id: "u", name: "x", size: this.size, received: this.received, status: this.status, progress: 1, messages: plain(this.refusal),
      notice: this.received ? null : (plain(this.notice)[0] ?? null), part_bytes: PART, asset: this.status === "ready" ? asset : null,
    }; // prettier-ignore
  }

  async answer(path: string, body: unknown): Promise<Response> {
    const json = (found: unknown, status = 200): Response => new Response(JSON.stringify(found), { status });
    if (this.line === "down") throw new TypeError("no line");
    if (path.endsWith("/cancel")) this.cancelled = true;
    if (path.includes("/parts?offset=")) {
      const offset = Number(path.split("=")[1]);
      if (offset !== this.received) return json({ detail: `begins at ${this.received}` }, 409);
      const size = (body as Blob).size;
      this.parts.push([offset, size]);
      this.received += size;
      if (this.received === this.size) this.status = this.refusal ? "failed" : "ready";
      if (this.line === "answer lost") {
        this.line = "up";
        throw new TypeError("line lost");
      }
    }
    return json(this.state());
  }
}

async function bring(size: number, set: (server: Taking) => void = () => {}) {
  const desk = new Desk({});
  const session = await desk.open();
  const server = new Taking(size);
  set(server);
  const before = globalThis.fetch as (path: string, options?: { body?: string }) => Promise<Response>;
  vi.stubGlobal("fetch", (path: string, options?: { body?: unknown }) =>
    path.includes("/uploads") ? server.answer(path, options?.body) : before(path, options as never),
  );
  vi.useFakeTimers();
  const arrivals = useArrivals();
  arrivals.take([new File([new Uint8Array(size)], "04_Bell.wav")]);
  return { desk, session, server, arrivals, one: arrivals.arrivals[0]! };
}

afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe("a file on its way", () => {
  it("is sent in parts, and ready when it has been read", async () => {
    const { server, one } = await bring(34);
    await vi.runAllTimersAsync();
    expect(server.parts).toEqual([[0, 10], [10, 10], [20, 10], [30, 4]]); // prettier-ignore
    expect([one.status, one.name, one.share]).toEqual(["ready", "Bell", 1]);
  });

  it("waits for the line, and goes on where it was", async () => {
    const { server, one, arrivals } = await bring(34, (taking) => (taking.line = "down"));
    await vi.advanceTimersByTimeAsync(2500);
    expect(one.status).toBe("away");
    expect(arrivals.open).toBe(true);
    server.line = "up";
    await vi.runAllTimersAsync();
    expect(one.status).toBe("ready");
    expect(server.parts.map(([at]) => at)).toEqual([0, 10, 20, 30]);
  });

  it("does not send a part twice whose answer was lost", async () => {
    const { server, one } = await bring(34, (taking) => (taking.line = "answer lost"));
    await vi.runAllTimersAsync();
    expect(server.parts.map(([at]) => at)).toEqual([0, 10, 20, 30]);
    expect(one.status).toBe("ready");
  });

  it("is told what is wrong with it, and may be tried again", async () => {
    const { server, one, arrivals } = await bring(
      12,
      (taking) => (taking.refusal = "04_Bell.wav breaks off."),
    );
    await vi.runAllTimersAsync();
    expect([one.status, one.trouble]).toEqual(["failed", "04_Bell.wav breaks off."]);
    Object.assign(server, { refusal: "", received: 0, status: "receiving" });
    arrivals.again(one);
    await vi.runAllTimersAsync();
    expect(one.status).toBe("ready");
  });

  it("is taken, and its sender told that there is little room left, until it has been put away", async () => {
    const notice = "The sessions of Rowan Oake hold 9.1 GB of 10.0 GB with this.";
    const { arrivals, one } = await bring(34, (taking) => (taking.notice = notice));
    await vi.runAllTimersAsync();
    expect([one.status, arrivals.notice]).toEqual(["ready", notice]);
    arrivals.drop(one);
    expect(arrivals.notice).toBe("");
  });

  it("can be stopped", async () => {
    const { server, one, arrivals } = await bring(34, (taking) => (taking.line = "down"));
    await vi.advanceTimersByTimeAsync(500);
    await arrivals.stop(one);
    server.line = "up";
    await vi.runAllTimersAsync();
    expect(one.status).toBe("cancelled");
    expect(server.parts).toEqual([]);
  });
});

describe("leaving a session", () => {
  it("stops what is on its way and takes nothing along", async () => {
    const { server, arrivals } = await bring(34, (taking) => (taking.line = "down"));
    await vi.advanceTimersByTimeAsync(500);
    server.line = "up";
    arrivals.leave();
    await vi.runAllTimersAsync();
    expect(arrivals.arrivals).toHaveLength(0);
    expect(server.parts).toEqual([]);
  });
});

describe("what has arrived", () => {
  it("becomes sources as one change, with the gain that it wants", async () => {
    const { desk, arrivals } = await bring(12);
    await vi.runAllTimersAsync();
    arrivals.intoSession();
    await vi.runAllTimersAsync();
    expect(desk.operations).toHaveLength(1);
    expect(desk.operations[0]).toMatchObject({
      kind: "add-source",
      source: { name: "Bell", mode: "pan", gain: 28, seconds: 2, channels: 1, first_channel: 0, start: 0 },
    });
    expect(arrivals.arrivals).toHaveLength(0);
  });

  it("is split into its channels if wished, or kept", async () => {
    for (const split of [true, false]) {
      const { desk, arrivals, one } = await bring(12, (taking) => (taking.channels = 6));
      await vi.runAllTimersAsync();
      one.split = split;
      one.gain = false;
      arrivals.intoSession();
      await vi.runAllTimersAsync();
      const [sent] = desk.operations as {
        operations?: { source: Record<string, unknown> }[];
        source?: unknown;
      }[];
      if (!split) {
        expect(sent!.source).toMatchObject({ mode: "span", channels: 6, gain: 0 });
      } else {
        const made = sent!.operations!.map((each) => each.source);
        expect(made.map((each) => each.first_channel)).toEqual([0, 1, 2, 3, 4, 5]);
        expect(new Set(made.map((each) => each.id)).size).toBe(6);
        expect(made.every((each) => each.channels === 1 && each.mode === "pan")).toBe(true);
      }
      vi.useRealTimers();
      vi.unstubAllGlobals();
    }
  });
});
