/** The Balance desk's stores: which stretch is looked into, who gives way, what is on trial, and how one listens. */
import { nextTick } from "vue";
import { long } from "@/api/long";
import { useCauses } from "@/audio/causes";
import { useCounterweight } from "@/desks/balance/details/counterweight";
import { useStretch } from "@/desks/balance/overview/stretch";
import { useLean, type Overview } from "@/audio/lean";
import { useLibrary } from "@/session/library";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { ROOMS, Desk, settle, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));
vi.mock("@/api/long", () => ({ long: vi.fn() }));

const parts = () => ({
  sources: {
    oars: source("oars", 0, { pan: 0.1 }),
    gulls: source("gulls", 1, { channels: 2, mode: "sides", pan_left: -0.4, pan_right: 0.4 }),
    drum: source("drum", 2),
  },
});

const stretch = (start: number, end: number, worst: number) => ({
  start, end, mean_db: worst * 0.9, worst_db: worst,
}); // prettier-ignore
const overview = (...stretches: ReturnType<typeof stretch>[]): Overview =>
  ({
    hop: 0.1,
    short: [],
    long: [],
    stretches,
    tolerance_db: 1.5,
    tolerance_seconds: 4,
  }) as unknown as Overview;
const cause = (id: string, adds: number, kind = "source") => ({
  id, kind, adds, without: 0, lean: 1, loudness: -20, share: 0.2,
}); // prettier-ignore

async function atDesk() {
  const desk = new Desk(parts(), 60);
  const session = await desk.open();
  const library = useLibrary();
  library.library = {
    ...ROOMS,
    giving: { level: 3, place: 0.25, most: 24 },
    monitors: [],
    targets: [],
  } as never;
  return { desk, session };
}

afterEach(() => {
  vi.unstubAllGlobals();
  vi.clearAllMocks();
});

describe("the stretch that is looked into", () => {
  it("is the worst at first, and stays the same one when an edit moves its edges", async () => {
    const { session } = await atDesk();
    const lean = useLean();
    const chosen = useStretch();
    lean.lean = overview(stretch(5, 10, 1.8), stretch(20, 30, -2.4));
    await nextTick();
    expect(chosen.number).toBe(1);
    lean.lean = overview(stretch(21, 28, -2));
    await nextTick();
    expect([chosen.number, chosen.stretch.start]).toEqual([0, 21]);
    lean.lean = overview(stretch(40, 50, 2));
    await nextTick();
    expect(chosen.number).toBe(-1);
    expect(chosen.stretch).toEqual({ start: 0, end: session.length });
    chosen.choose(0);
    expect(chosen.stretch.mean).toBeCloseTo(1.8);
  });
});

describe("causes", () => {
  it("that pull may give way, those that hold against it may not", async () => {
    await atDesk();
    const causes = useCauses();
    causes.causes = [
      cause("oars", 1.2),
      cause("quay", 0.9, "return"),
      cause("drum", 0.1),
      cause("gulls", -2),
    ];
    expect(causes.pulling).toEqual(["oars"]);
    const player = usePlayer();
    for (const wanted of [["oars"], ["drum"], ["gulls"], []]) {
      causes.hearNext();
      expect(player.solo).toEqual(wanted);
    }
  });
});

describe("the counterweight", () => {
  const found = {
    changes: [
      { source: "oars", level: -1.5, place: -0.1 },
      { source: "gulls", level: 0, place: 0.2 },
    ],
    before: 2.2, after: 1.4, reached: true, trim: 0.4, long: [], stretches: [],
  }; // prettier-ignore

  async function workedOut() {
    const { desk, session } = await atDesk();
    useLean().lean = overview(stretch(20, 30, 2.4));
    useCauses().causes = [cause("oars", 1.2), cause("gulls", 0.5)];
    const weight = useCounterweight();
    await nextTick();
    const answer = { done: 1, revision: 5, counterweight: found };
    vi.mocked(long).mockResolvedValue(answer);
    await weight.workOut(false);
    return { desk, session, weight };
  }

  it("is asked for with those that pull, or with those that somebody has chosen", async () => {
    const { weight } = await workedOut();
    const asked = (): string => decodeURIComponent(vi.mocked(long).mock.lastCall![0]);
    expect(asked()).toContain("givers=oars:3:0.25,gulls:3:0.25");
    expect(asked()).toContain("start=20.000&end=30.000");
    weight.setGiver("gulls", null);
    weight.setGiver("drum", { level: 1, place: 0 });
    await weight.workOut(true);
    expect(asked()).toContain("givers=oars:3:0.25,drum:1:0");
    expect(asked()).toContain("start=0&end=0");
    weight.leaveToCauses();
    expect([...weight.givers.keys()]).toEqual(["oars", "gulls"]);
  });

  it("is heard as B and applied as one change: lanes and both sides bodily", async () => {
    const { desk, weight } = await workedOut();
    const [monitor, player] = [useMonitor(), usePlayer()];
    monitor.compare(true);
    expect(player.trial).toEqual({ changes: found.changes, trim: 0.4 });
    weight.apply();
    await settle();
    expect(player.trial).toBeNull();
    const [sent] = desk.operations as { kind: string; operations: Record<string, unknown>[] }[];
    expect(sent!.kind).toBe("batch");
    expect(sent!.operations.map((one) => [one.sources, one.parameter, one.by])).toEqual([
      [["oars"], "level", -1.5],
      [["oars"], "pan", -0.1],
      [["gulls"], "pan_left", 0.2],
      [["gulls"], "pan_right", 0.2],
    ]);
  });

  it("that an edit has overtaken is neither heard nor looked at as if it held", async () => {
    const { desk, weight } = await workedOut();
    const monitor = useMonitor();
    monitor.compare(true);
    desk.hear(desk.told([]));
    await settle();
    expect(weight.stale).toBe(true);
    expect(usePlayer().trial).toBeNull();
    expect(monitor.trial).toBeNull();
  });

  it("stays on trial when the lean comes again as it was, and goes when its stretch moves", async () => {
    await workedOut();
    const [monitor, player, lean] = [useMonitor(), usePlayer(), useLean()];
    monitor.compare(true);
    lean.lean = overview(stretch(20, 30, 2.4));
    await nextTick();
    expect(player.trial?.trim).toBe(0.4);
    lean.lean = overview(stretch(21, 30, 2.4));
    await nextTick();
    expect(player.trial).toBeNull();
  });

  it("that cannot be worked out says why", async () => {
    const { weight } = await workedOut();
    vi.mocked(long).mockRejectedValue(new Error("Nothing leans out of tolerance."));
    await weight.workOut(false);
    expect([weight.trouble, weight.found, weight.done]).toEqual(["Nothing leans out of tolerance.", null, 1]);
  });
});

describe("ways of listening", () => {
  it("last as long as they are held, or stay until they are pressed again", async () => {
    await atDesk();
    const [monitor, player] = [useMonitor(), usePlayer()];
    monitor.hold("mono");
    expect(player.monitor).toBe("mono");
    monitor.letGo();
    expect(player.monitor).toBe("stereo");
    monitor.latch("left");
    monitor.hold("mono");
    monitor.letGo();
    expect(player.monitor).toBe("left");
    monitor.latch("left");
    expect(player.monitor).toBe("stereo");
  });
});

describe("the lean of the whole piece", () => {
  it("is asked for by whoever comes to it late, once the session has long been open", async () => {
    vi.useFakeTimers({ toFake: ["setTimeout", "clearTimeout"] });
    const desk = new Desk({ sources: { oars: source("oars", 0) } });
    await desk.open();
    vi.mocked(long).mockClear();
    vi.mocked(long).mockResolvedValue({ done: 1, overview: { hop: 0.1, long: [] } } as never);
    const lean = useLean();
    expect([lean.done, vi.mocked(long).mock.calls.length]).toEqual([0, 0]);
    vi.advanceTimersByTime(200);
    await settle();
    expect(vi.mocked(long).mock.calls[0]![0]).toContain("/api/sessions/s/balance?revision=5");
    expect(lean.done).toBe(1);
    vi.useRealTimers();
  });
});
