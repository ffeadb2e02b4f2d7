/** The Move desk's stores: stretches and drafts, drawing, controllers, lanes as they are followed. */
import { useSelection } from "@/session/selection";
import { nextTick } from "vue";

import { useDrawing } from "@/desks/move/chart/drawing";

import { useTools } from "@/session/tools";

import { laneValue } from "@/domain/lanes";

import { useMoves } from "@/session/moves";

import { shareOf, useMidi } from "@/desks/move/recording/midi";

import { useMonitor } from "@/audio/monitor";

import { atDesk, point } from "./moves-setup";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));
vi.mock("@vueuse/core", async (original) => ({
  ...(await original<object>()),
  useRafFn: () => ({ pause: vi.fn(), resume: vi.fn() }),
  useLocalStorage: (_key: string, value: unknown) => vueRef(value),
}));
const { vueRef } = vi.hoisted(() => ({ vueRef: (value: unknown) => ({ value, __v_isRef: true }) }));

afterEach(() => {
  vi.unstubAllGlobals();
  vi.clearAllMocks();
  vi.useRealTimers();
});

describe("lanes as they are followed", () => {
  it("leaves the static value where the automation is off, and follows what is tried", async () => {
    const { session } = await atDesk();
    expect(session.follows("drum", "pan")).toBe(false);
    expect(session.laneValueAt({ owner: "drum", parameter: "pan" }, 4)).toBe(-0.5);
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 4)).toBe(0);
    session.tried = new Map([["oars/pan", []]]);
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 4)).toBe(0.1);
  });

  it("goes along the part of an ease that a cut has left", () => {
    const x = Array.from({ length: 65 }, (_, i) => i / 64);
    const tables = { steps: 65, shapes: { ease: [x.map((at) => 3 * at ** 2 - 2 * at ** 3)] } };
    const whole = [point(0, 0, "ease"), point(4, 1)];
    const cut = [{ ...point(0, 0, "ease"), shape_end: 0.25 }, point(1, laneValue(tables, whole as never, 1))];
    expect(laneValue(tables, cut as never, 0.5)).toBeCloseTo(laneValue(tables, whole as never, 0.5), 4);
  });
});

describe("a stretch", () => {
  it("is of both sides of a stereo source, and of all that are chosen", async () => {
    const { view } = await atDesk();
    const moves = useMoves();
    expect(moves.lanes).toEqual([{ owner: "oars", parameter: "pan" }]);
    useSelection().choose("gulls");
    view.showLane({ owner: "gulls", parameter: "pan_left" });
    expect(moves.lanes.map(({ parameter }) => parameter)).toEqual(["pan_left", "pan_right"]);
    moves.toggleAlong({ owner: "gulls", parameter: "pan_right" });
    expect(moves.lanes.map(({ parameter }) => parameter)).toEqual(["pan_left"]);
    useSelection().chooseThese(["oars", "gulls", "drum"]);
    view.showLane({ owner: "oars", parameter: "pan" });
    expect(moves.lanes.map(({ owner }) => owner)).toEqual(["oars", "drum"]);
  });

  it("is looked at, offered to the ear, and made as one change", async () => {
    const { desk, session, player } = await atDesk();
    const moves = useMoves();
    const monitor = useMonitor();
    const writes = [
      { owner: "oars", parameter: "pan", start: 2, end: 4, points: [point(2, 0.5), point(4, 0)] },
    ];
    vi.stubGlobal("fetch", (path: string) =>
      path.includes("/moves/edit")
        ? Promise.resolve(
            new Response(JSON.stringify({ id: "d1", revision: 5, summary: "Oars: bar 2 held", writes })),
          )
        : Promise.resolve(new Response("{}", { status: 409 })),
    );
    moves.pick(4, 2);
    expect(moves.span).toEqual({ start: 2, end: 4 });
    await moves.look({ kind: "hold", value: 0.5 });
    expect(moves.preview.get("oars/pan")!.map((one) => one.t)).toEqual([0, 2, 4, 8]);
    monitor.compare(true);
    expect(player.moves).toEqual(["draft=d1"]);
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 2)).toBe(0.5);
    moves.leave();
    expect(player.moves).toEqual([]);
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 2)).toBe(-0.5);
    await moves.look({ kind: "hold", value: 0.5 });
    const change = vi.spyOn(session, "change");
    moves.apply();
    expect(change).toHaveBeenCalledOnce();
    expect(change.mock.calls[0]![1]).toMatchObject({ kind: "write-points", start: 2, end: 4 });
    expect(moves.draft).toBeNull();
    expect(desk.posted).toEqual([]);
  });

  it("applies what the fields say, not what was shown before them", async () => {
    const { session } = await atDesk();
    const moves = useMoves();
    const asked: ((found: Response) => void)[] = [];
    const answer = async (found: Response): Promise<void> => {
      await vi.waitFor(() => expect(asked).toHaveLength(1));
      asked.pop()!(found);
    };
    const writes = (value: number) => [
      { owner: "oars", parameter: "pan", start: 2, end: 4, points: [point(2, value), point(4, value)] },
    ];
    const draft = (id: string, value: number) =>
      new Response(JSON.stringify({ id, revision: 5, summary: "Oars: held", writes: writes(value) }));
    vi.stubGlobal("fetch", (path: string) =>
      path.includes("/moves/edit")
        ? new Promise<Response>((give) => asked.push(give))
        : Promise.resolve(new Response("{}", { status: 409 })),
    );
    moves.pick(2, 4);
    await nextTick();
    const first = moves.look({ kind: "hold", value: 0.5 });
    await answer(draft("d1", 0.5));
    await first;
    const change = vi.spyOn(session, "change").mockImplementation(() => undefined);
    moves.outdate();
    moves.apply();
    const second = moves.look({ kind: "hold", value: -0.5 });
    expect(change).not.toHaveBeenCalled();
    await answer(draft("d2", -0.5));
    await second;
    expect(change.mock.calls.map(([, made]) => made)).toMatchObject([
      { kind: "write-points", points: [{ value: -0.5 }, { value: -0.5 }] },
    ]);
    expect(moves.draft).toBeNull();
  });

  it("is the passage at the playhead, or its bar", async () => {
    const { player } = await atDesk();
    const moves = useMoves();
    player.playhead = 3;
    moves.pickHere();
    expect(moves.span).toEqual({ start: 2, end: 4 });
    player.playhead = 7;
    moves.pickHere();
    expect(moves.span).toEqual({ start: 6, end: 8 });
    moves.pick(5, 5.001);
    expect(moves.span).toBeNull();
  });

  it("tells why a change cannot be made", async () => {
    await atDesk();
    const moves = useMoves();
    vi.stubGlobal("fetch", () =>
      Promise.resolve(new Response(JSON.stringify({ detail: "The stretch is too short." }), { status: 422 })),
    );
    moves.pick(2, 4);
    await moves.look({ kind: "reverse" });
    expect(moves.trouble).toBe("The stretch is too short.");
    expect(moves.draft).toBeNull();
  });
});

describe("drawing", () => {
  it("draws over what the hand passes again, in steps on the grid, and one line", async () => {
    const { view } = await atDesk();
    const tools = useTools();
    const { drawing, begin, go } = useDrawing();
    tools.tool = "free";
    begin(1, 0, false);
    for (const [at, value] of [[1.2, 0.2], [1.4, 0.4], [1.1, 0.9]] as const) go(at, value, false); // prettier-ignore
    expect(drawing.value!.way.map(([at]) => at)).toEqual([1, 1.1, 1.4]);
    tools.tool = "steps";
    view.gridParts = 1;
    begin(1, 0.5, false);
    go(2.1, -0.5, false);
    expect(drawing.value!.way.map(([at]) => at)).toEqual([1, 1.5, 2]);
    tools.tool = "straight";
    begin(1.1, 0.5, false);
    go(2.9, -0.5, false);
    expect(drawing.value!.way).toEqual([[1, 0.5], [3, -0.5]]); // prettier-ignore
  });

  it("snaps places to left, centre and right where it is wished", async () => {
    await atDesk();
    const tools = useTools();
    expect(tools.toValue("pan", 0.07)).toBe(0.07);
    tools.toPlaces = true;
    expect([0.07, -0.95, 0.4].map((value) => tools.toValue("pan", value))).toEqual([0, -1, 0.4]);
    expect(tools.toValue("pan", 0.07, true)).toBe(0.07);
    expect(tools.toValue("level", 0.07)).toBe(0);
  });
});

describe("a controller", () => {
  it("has the middle of either kind in the middle", () => {
    expect([0, 64, 127].map((value) => shareOf(value, 7))).toEqual([0, 0.5, 1]);
    expect([0, 8192, 16383].map((value) => shareOf(value, 14))).toEqual([0, 0.5, 1]);
  });

  it("moves the lane that is worked on, both sides with two knobs, and learns its knob", async () => {
    const { view, session } = await atDesk();
    vi.useFakeTimers();
    const midi = useMidi();
    midi.receive([0xb0, 10, 127]);
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 4)).toBe(1);
    midi.receive([0xb1, 10, 0]);
    midi.receive([0x90, 10, 0]);
    expect(session.laneValueAt({ owner: "oars", parameter: "pan" }, 4)).toBe(1);
    useSelection().choose("gulls");
    view.showLane({ owner: "gulls", parameter: "pan_left" });
    midi.receive([0xb0, 11, 0]);
    expect(session.laneValueAt({ owner: "gulls", parameter: "pan_right" }, 4)).toBe(-1);
    midi.learning = "first";
    midi.receive([0xb2, 1, 5]);
    expect(midi.knobs.first).toMatchObject({ channel: 2, number: 1, bits: 7 });
    midi.receive([0xb2, 1, 64]);
    midi.receive([0xb2, 33, 0]);
    expect(midi.knobs.first.bits).toBe(14);
    expect(session.laneValueAt({ owner: "gulls", parameter: "pan_left" }, 4)).toBe(0);
  });
});
