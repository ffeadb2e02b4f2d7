/** The live channel that comes back by itself, and the letter box that closed tabs leave behind. */
import { LiveChannel, type Incoming } from "@/collab/channel";
import { letterBox, type Kept, type LetterBox } from "@/collab/kept";

const stored = vi.hoisted(() => new Map<string, unknown>());
vi.mock("idb-keyval", () => ({
  createStore: () => "store",
  set: async (key: string, value: unknown) => void stored.set(key, structuredClone(value)),
  del: async (key: string) => void stored.delete(key),
  delMany: async (keys: string[]) => keys.forEach((key) => stored.delete(key)),
  entries: async () => [...stored.entries()],
}));

class Line {
  static readonly OPEN = 1;
  static all: Line[] = [];
  readyState = 0;
  said: unknown[] = [];
  closed = false;
  onopen?: () => void;
  onclose?: (event: { code: number }) => void;
  onmessage?: (event: { data: string }) => void;

  constructor(readonly address: string) {
    Line.all.push(this);
  }
  send(text: string): void {
    this.said.push(JSON.parse(text));
  }
  close(): void {
    this.closed = true;
    this.end(1000);
  }
  begin(): void {
    this.readyState = 1;
    this.onopen?.();
  }
  end(code: number): void {
    this.readyState = 3;
    this.onclose?.({ code });
  }
}

describe("the live channel", () => {
  let revision: number;
  let heard: Incoming[];
  let states: boolean[];
  let ended: boolean[];
  let world: EventTarget;
  const last = (): Line => Line.all.at(-1)!;
  const pong = { data: JSON.stringify({ type: "pong" }) };

  const channel = (): LiveChannel =>
    new LiveChannel("s", {
      revision: () => revision,
      message: (message) => heard.push(message),
      state: (up) => states.push(up),
      closedForGood: (signedOut) => ended.push(signedOut),
    });

  beforeEach(() => {
    vi.useFakeTimers();
    [revision, heard, states, ended, Line.all] = [7, [], [], [], []];
    world = new EventTarget();
    vi.stubGlobal("window", world);
    vi.stubGlobal("location", { protocol: "https:", host: "here" });
    vi.stubGlobal("WebSocket", Line);
  });
  afterEach(() => {
    vi.useRealTimers();
    vi.unstubAllGlobals();
  });

  it("asks at every new connection for what came after the revision that is known then", () => {
    channel();
    expect(last().address).toBe("wss://here/live/s?since=7");
    last().begin();
    last().onmessage!({ data: JSON.stringify({ type: "gone", tab: "a" }) });
    revision = 12;
    last().end(1006);
    vi.advanceTimersByTime(250);
    expect(last().address).toBe("wss://here/live/s?since=12");
    last().begin();
    expect(states).toEqual([true, false, true]);
    expect(heard).toEqual([{ type: "gone", tab: "a" }]);
  });

  it("waits longer each time it fails, five seconds at the most, and is quick again once it was there", () => {
    channel();
    const waits: number[] = [];
    const failing = (): void => {
      const before = Line.all.length;
      last().end(1006);
      let waited = 0;
      while (Line.all.length === before) {
        vi.advanceTimersByTime(50);
        waited += 50;
      }
      waits.push(waited);
    };
    for (let i = 0; i < 7; i += 1) failing();
    expect(waits).toEqual([250, 500, 1000, 2000, 4000, 5000, 5000]);
    last().begin();
    failing();
    expect(waits.at(-1)).toBe(250);
  });

  it("does not wait once the browser says that there is a line again", () => {
    channel();
    last().end(1006);
    world.dispatchEvent(new Event("online"));
    expect(Line.all.length).toBe(2);
    vi.advanceTimersByTime(10_000);
    expect(Line.all.length).toBe(2);
    last().begin();
    world.dispatchEvent(new Event("online"));
    expect(Line.all.length).toBe(2);
  });

  it("takes a connection that answers no ping for gone, and keeps one that does", () => {
    channel();
    const first = last();
    first.begin();
    vi.advanceTimersByTime(10_000);
    expect(first.said).toEqual([{ type: "ping" }]);
    first.onmessage!(pong);
    vi.advanceTimersByTime(10_000);
    expect(first.closed).toBe(false);
    vi.advanceTimersByTime(10_000);
    expect(first.closed).toBe(true);
    vi.advanceTimersByTime(250);
    expect(Line.all.length).toBe(2);
  });

  it.each([
    [4401, true],
    [4404, false],
  ])("ends for good when it is closed with %i", (code, signedOut) => {
    channel();
    last().begin();
    last().end(code);
    vi.advanceTimersByTime(60_000);
    expect(ended).toEqual([signedOut]);
    expect(Line.all.length).toBe(1);
  });

  it("says nothing on a line that is not open, and comes back no more once it is closed here", () => {
    const live = channel();
    live.send({ type: "ping" });
    expect(last().said).toEqual([]);
    last().begin();
    live.send({ type: "ask", control: "oars.pan" });
    expect(last().said).toEqual([{ type: "ask", control: "oars.pan" }]);
    live.close();
    world.dispatchEvent(new Event("online"));
    vi.advanceTimersByTime(60_000);
    expect(Line.all.length).toBe(1);
    expect(ended).toEqual([]);
  });
});

describe("the letter box", () => {
  const letter = (tab: string, order: number, more: Partial<Kept> = {}): Kept => ({
    session: "s", person: 1, tab, order, path: "operations", body: { client_id: `${tab}-${order}` }, said: "place", ...more,
  }); // prettier-ignore
  let running: string[];
  let requested: string[];
  let box: LetterBox;

  beforeEach(async () => {
    stored.clear();
    [running, requested] = [[], []];
    const locks = {
      query: async () => ({ held: running.map((tab) => ({ name: `needle-outbox-${tab}` })) }),
      request: async (name: string) => void requested.push(name),
    };
    vi.stubGlobal("navigator", { locks });
    vi.stubGlobal("indexedDB", {});
    box = letterBox();
    for (const one of [letter("gone", 2), letter("gone", 1), letter("runs", 3)]) await box.put(one);
  });
  afterEach(() => vi.unstubAllGlobals());

  it("gives what closed tabs have left, in order, and leaves alone what belongs to one that runs", async () => {
    running = ["runs"];
    const taken = await box.adopt("s", 1, "new");
    expect(taken.map((one) => [one.tab, one.order, one.body.client_id])).toEqual([
      ["new", 1, "gone-1"],
      ["new", 2, "gone-2"],
    ]);
    expect(requested).toEqual(["needle-outbox-new"]);
    expect([...stored.keys()].sort()).toEqual(["new/gone-1", "new/gone-2", "runs/runs-3"]);
  });

  it("counts what waits of a person, by session", async () => {
    await box.put(letter("gone", 4, { session: "other" }));
    await box.put(letter("gone", 5, { person: 2 }));
    expect([...(await box.counted(1))]).toEqual([
      ["s", 3],
      ["other", 1],
    ]);
  });

  it("gives nothing of another session or another person", async () => {
    await box.put(letter("gone", 4, { session: "other" }));
    await box.put(letter("gone", 5, { person: 2 }));
    const taken = await box.adopt("s", 1, "new");
    expect(taken.map((one) => one.order)).toEqual([1, 2, 3]);
    expect(stored.has("gone/gone-4") && stored.has("gone/gone-5")).toBe(true);
  });

  it("forgets what has been answered, and what was taken over goes to the next one when that tab closes too", async () => {
    const [first] = await box.adopt("s", 1, "new");
    await box.drop(first!);
    const again = await box.adopt("s", 1, "newer");
    expect(again.map((one) => one.body.client_id)).toEqual(["gone-2", "runs-3"]);
    expect(await box.adopt("s", 1, "newer")).toEqual([]);
  });

  it("keeps nothing, and loses nothing by it, where the browser has no database", async () => {
    vi.stubGlobal("indexedDB", undefined);
    const none = letterBox();
    await none.put(letter("tab", 1));
    await none.drop(letter("tab", 1));
    expect(await none.adopt("s", 1, "tab")).toEqual([]);
    expect(stored.size).toBe(3);
  });
});
