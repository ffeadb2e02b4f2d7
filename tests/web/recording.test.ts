/** Recording: what a hand does is written down, by mode, round by round, and kept when it cannot be sent. */
import { nextTick } from "vue";

import { useHolding } from "@/gestures/holding";

import { useRecorder } from "@/session/recorder";

import { useTakes, type Recorded } from "@/session/takes";

import { settle } from "./desk";

import { atDesk, point } from "./moves-setup";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));
vi.mock("@vueuse/core", async (original) => ({
  ...(await original<object>()),
  useRafFn: () => ({ pause: vi.fn(), resume: vi.fn() }),
  useLocalStorage: (_key: string, value: unknown) => vueRef(value),
}));
/** The browser's own database. */
const { database } = vi.hoisted(() => ({ database: new Map<string, unknown>() }));
vi.mock("idb-keyval", () => ({
  createStore: () => ({}),
  get: (key: string) => Promise.resolve(database.get(key)),
  set: (key: string, value: unknown) => Promise.resolve(void database.set(key, value)),
  del: (key: string) => Promise.resolve(void database.delete(key)),
  delMany: () => Promise.resolve(),
  entries: () => Promise.resolve([...database]),
}));
const { vueRef } = vi.hoisted(() => ({ vueRef: (value: unknown) => ({ value, __v_isRef: true }) }));

afterEach(() => {
  vi.unstubAllGlobals();
  vi.clearAllMocks();
  vi.useRealTimers();
});

describe("recording", () => {
  async function recording(mode: "touch" | "latch" | "write" | "trim") {
    const here = await atDesk();
    const recorder = useRecorder();
    const takes = useTakes();
    const sent: Recorded[] = [];
    vi.spyOn(takes, "add").mockImplementation((one) => (sent.push(one), Promise.resolve()));
    recorder.arm({ owner: "oars", parameter: "pan" }, mode);
    here.player.playhead = 1;
    await nextTick();
    here.player.playing = true;
    await nextTick();
    const hand = useHolding();
    const oars = here.session.sources[0]!;
    const to = async (at: number): Promise<void> => {
      here.player.playhead = at;
      await nextTick();
    };
    const stop = async (): Promise<void> => {
      here.player.playing = false;
      await nextTick();
    };
    return { ...here, recorder, sent, hand, oars, to, stop };
  }

  it("writes it where it was heard, not where the playhead was painted last or the page got round to it", async () => {
    const { hand, oars, to, stop, sent, player } = await recording("touch");
    const acted = vi
      .mocked(window.addEventListener)
      .mock.calls.find(([name]) => name === "pointermove")![1] as (event: object) => void;
    await to(1.5);
    const heard = vi.spyOn(player, "heardNow").mockReturnValue(1.532);
    vi.spyOn(performance, "now").mockReturnValue(10_000);
    acted({ timeStamp: 9_988 });
    hand.move(oars, { pan: 0.2 });
    acted({ timeStamp: 4_000 });
    heard.mockReturnValue(1.55);
    hand.set(oars, { pan: 0.3 });
    await stop();
    const [hold] = sent[0]!.controls[0]!.holds;
    expect(hold!.samples.map(([at]) => Math.round(at * 1000))).toEqual([1520, 1550]);
    expect(sent[0]!.end).toBeGreaterThanOrEqual(1.55);
  });

  it("loses nothing on a page that paints seldom", async () => {
    const { hand, oars, to, stop, sent } = await recording("touch");
    await to(1.5);
    hand.move(oars, { pan: 0.2 });
    await to(3.2);
    hand.move(oars, { pan: 0.4 });
    hand.set(oars, { pan: 0.4 });
    await stop();
    expect(sent.map((pass) => [pass.start, pass.end])).toEqual([[1, 3.2]]);
    expect(sent[0]!.controls[0]!.holds[0]!.samples.map(([at]) => at)).toEqual([1.5, 3.2]);
  });

  it("writes down what the hand does, and makes no change of it", async () => {
    const { desk, hand, oars, to, stop, sent, session } = await recording("touch");
    await to(1.5);
    hand.move(oars, { pan: 0.2 });
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 1.5)).toBe(0.2);
    await to(1.6);
    hand.move(oars, { pan: 0.3 });
    await to(1.7);
    hand.set(oars, { pan: 0.4 });
    await to(2.5);
    await stop();
    expect(sent).toEqual([
      {
        start: 1, end: 2.5, mode: "touch", glide: 0.25,
        controls: [
          {
            owner: "oars", parameter: "pan",
            holds: [{ samples: [[1.5, 0.2], [1.6, 0.3], [1.7, 0.4]], end: 1.7 }],
          },
        ],
      },
    ]); // prettier-ignore
    expect(desk.posted).toEqual([]);
    expect(session.pending.size).toBe(0);
  });

  it("adds in trim what the hand moved from where it took hold", async () => {
    const { hand, oars, to, stop, sent } = await recording("trim");
    await to(4);
    hand.move(oars, { pan: 0.25 });
    await to(4.5);
    hand.set(oars, { pan: 0.5 });
    await stop();
    const [hold] = sent[0]!.controls[0]!.holds;
    expect(hold!.samples).toEqual([[4, 0.25], [4.5, 0.5]]); // prettier-ignore
  });

  it("overwrites the whole pass in write, touched or not", async () => {
    const { to, stop, sent, session } = await recording("write");
    await to(2);
    await to(3);
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 3)).toBeCloseTo(-0.75);
    await stop();
    expect(sent[0]).toMatchObject({ start: 1, end: 3, controls: [{ holds: [] }] });
  });

  it("makes a take of every round, the hand still holding", async () => {
    const { hand, oars, to, stop, sent } = await recording("latch");
    await to(2);
    hand.move(oars, { pan: 0.6 });
    await to(3);
    await to(0.5);
    await to(1.5);
    hand.set(oars, { pan: 0.7 });
    await to(2);
    await stop();
    expect(sent.map(({ start, end }) => [start, end])).toEqual([[1, 3], [0.5, 2]]); // prettier-ignore
    expect(sent[1]!.controls[0]!.holds[0]!.samples[0]).toEqual([0.5, 0.6]);
  });

  it("leaves a playhead that waited for sound alone", async () => {
    const { hand, oars, to, stop, sent } = await recording("latch");
    await to(2);
    hand.move(oars, { pan: 0.6 });
    await to(1.95);
    hand.set(oars, { pan: 0.7 });
    await to(2.5);
    await stop();
    expect(sent.map(({ start, end }) => [start, end])).toEqual([[1, 2.5]]);
    expect(sent[0]!.controls[0]!.holds[0]!.samples).toEqual([[2, 0.7]]);
  });

  it("holds what a key sets until it has rested", async () => {
    const { hand, oars, to, stop, sent } = await recording("touch");
    vi.useFakeTimers();
    await to(2);
    hand.set(oars, { pan: 0.2 }, false);
    await to(2.1);
    hand.set(oars, { pan: 0.3 }, false);
    await to(2.4);
    vi.advanceTimersByTime(500);
    await to(3);
    await stop();
    expect(sent[0]!.controls[0]!.holds).toEqual([{ samples: [[2, 0.2], [2.1, 0.3]], end: 2.4 }]); // prettier-ignore
  });

  it("goes on in trim from where a hand takes hold on its way back", async () => {
    const { recorder, hand, oars, to, stop, sent } = await recording("trim");
    await to(4);
    hand.move(oars, { pan: 0.4 });
    await to(4.1);
    hand.set(oars, { pan: 0.4 });
    const control = recorder.controls.get("oars/pan")!;
    expect(control.gliding!.from).toBeCloseTo(0.425);
    // Half way back: 0.2 are still added to the line, which has come to 0.05.
    await to(4.2);
    recorder.touch({ owner: "oars", parameter: "pan" }, 0.25);
    expect(control.holds[1]!.samples[0]![1]).toBeCloseTo(0.2);
    expect(control.shown).toBeCloseTo(0.25);
    await to(4.3);
    await stop();
    expect(sent[0]!.controls[0]!.holds).toHaveLength(2);
  });

  it("never lets a hold begin before the one before it has ended", async () => {
    const { hand, oars, to, stop, sent } = await recording("touch");
    await to(2);
    hand.move(oars, { pan: 0.2 });
    await to(2.2);
    hand.set(oars, { pan: 0.3 });
    await to(2.1);
    hand.move(oars, { pan: 0.4 });
    await to(2.5);
    hand.set(oars, { pan: 0.5 });
    await stop();
    const [first, second] = sent[0]!.controls[0]!.holds;
    expect(second!.samples[0]![0]).toBeGreaterThanOrEqual(first!.end);
  });

  it("holds a place on which a hand only rests", async () => {
    const { hand, oars, to, stop, sent } = await recording("touch");
    await to(2);
    expect(hand.grasp(oars)).toBe(true);
    await to(3);
    hand.drop(oars);
    await to(4);
    await stop();
    const [hold] = sent[0]!.controls[0]!.holds;
    expect(hold).toEqual({ samples: [[2, -0.5]], end: 3 });
  });

  it("keeps a pass that cannot be sent, and sends it when the connection is back", async () => {
    const { session } = await atDesk();
    const takes = useTakes();
    await settle();
    takes.takes = [];
    const pass: Recorded = {
      start: 1, end: 2, mode: "latch", glide: 0.25,
      controls: [{ owner: "oars", parameter: "pan", holds: [{ samples: [[1, 0]], end: 2 }] }],
    }; // prettier-ignore
    vi.stubGlobal("fetch", () => Promise.reject(new TypeError("no connection")));
    await takes.add(pass);
    expect(takes.unsent.map(({ recorded }) => recorded)).toEqual([pass]);
    const writes = [
      { owner: "oars", parameter: "pan", start: 1, end: 2, points: [point(1, 0), point(2, 0)] },
    ];
    const about = {
      id: "t1",
      revision: 5,
      said: "Oars",
      created_at: "",
      start: 1,
      end: 2,
      mode: "latch",
      samples: 1,
    };
    vi.stubGlobal("fetch", () => Promise.resolve(new Response(JSON.stringify({ ...about, writes }))));
    session.connected = false;
    await nextTick();
    session.connected = true;
    await settle();
    expect(takes.unsent).toEqual([]);
    expect(takes.waiting?.id).toBe("t1");
    const change = vi.spyOn(session, "change").mockImplementation(() => undefined);
    takes.keep();
    expect(change.mock.calls[0]![1]).toMatchObject({ kind: "write-points", start: 1, end: 2 });
    expect(takes.waiting).toBeNull();
    expect(takes.takes).toHaveLength(1);
  });

  it("sends what an earlier page has recorded here and could not send, once", async () => {
    vi.stubGlobal("indexedDB", {});
    const recorded = { start: 1, end: 2, mode: "latch", glide: 0.25, controls: [] };
    const left = (id: string, session = "s", person = 0) => [id, { id, session, person, recorded }] as const;
    database.clear();
    for (const [id, pass] of [left("a"), left("b", "other"), left("c", "s", 7)]) database.set(id, pass);
    const { desk } = await atDesk();
    desk.takes["/moves/takes"] = () => ({ id: "t1", writes: [] });
    useTakes();
    await vi.waitFor(() => expect([...database.keys()]).toEqual(["b", "c"]));
    expect(desk.posted.filter(({ path }) => path.endsWith("/takes"))).toHaveLength(1);
    expect(desk.posted[0]!.body).toMatchObject({ ...recorded, revision: 5 });
  });

  it("changes what is not armed as ever", async () => {
    const { desk, hand, session, stop, sent } = await recording("touch");
    hand.set(session.sources[2]!, { pan: 0.9 });
    await settle();
    expect(desk.posted.map((one) => one.body.operation)).toMatchObject([{ kind: "place-source", pan: 0.9 }]);
    await stop();
    expect(sent).toEqual([]);
  });
});
