/** What stands in the pictures: every source's line on the chart, its mark in the field, a dealt part, what lies on top. */
import { useSelection } from "@/session/selection";
import { effectScope, type EffectScope } from "vue";
import { axisFor, labelled, levelHeight } from "@/ui/drawing/axis";
import { useLines } from "@/desks/move/chart/lines";
import { useDrawingOrder } from "@/session/markOrder";
import { useTools } from "@/session/tools";
import { useChartView } from "@/session/view";
import { useMarks } from "@/desks/place/field/marks";
import { paintDeal } from "@/desks/pulse/notes/paintDeal";
import { eventAt, nearestEvent } from "@/domain/events";
import { useMoves } from "@/session/moves";
import { useRecorder } from "@/session/recorder";
import { usePlayer } from "@/audio/player";
import { INKS } from "@/ui/theme";
import { Desk, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

const point = (t: number, value: number) => ({ t, value, shape: "straight", tension: 0 });
const lane = (owner: string, parameter: string, off = false) => ({
  source: owner, parameter, points: [point(0, -0.5), point(4, 0.5)], off,
}); // prettier-ignore

const parts = () => ({
  sources: {
    oars: source("oars", 0, { pan: 0.1, group: "deck" }),
    gulls: source("gulls", 1, { channels: 2, mode: "sides", pan_left: -0.4, pan_right: 0.6 }),
    voices: source("voices", 2, { channels: 2, mode: "span", pan: 0.2, span: 0.5, muted: true }),
  },
  groups: { deck: { id: "deck", name: "Deck", order: 0, level: 0, muted: false, shift: 0.25 } },
  returns: {
    quay: {
      id: "quay",
      name: "Quay",
      colour: 3,
      order: 0,
      level: -4,
      muted: false,
      pan: 0.3,
      width: 1,
      effects: [],
    },
  },
  sends: {
    "oars/quay": { id: "oars/quay", source: "oars", return: "quay", level: -12, place: "own", pan: -0.7 },
    "gulls/quay": { id: "gulls/quay", source: "gulls", return: "quay", level: -6, place: "opposite", pan: 0 },
  },
  lanes: { "oars/pan": lane("oars", "pan"), "gulls/pan_left": lane("gulls", "pan_left", true) },
});

let scope: EffectScope;

async function open() {
  const desk = new Desk(parts());
  desk.gives["/waveform?"] = () => ({ per_second: 50, channels: [[0], [0]] });
  const session = await desk.open();
  vi.stubGlobal("localStorage", undefined);
  return { desk, session, view: useChartView(), player: usePlayer(), tools: useTools() };
}

beforeEach(() => void (scope = effectScope()));
afterEach(() => {
  scope.stop();
  vi.unstubAllGlobals();
});

describe("lines on the chart", () => {
  it("are one of every source in its ink: both sides', or the ends of a span; what is muted is silent", async () => {
    await open();
    const { others, chosen, isField } = scope.run(() => useLines())!;
    expect(isField.value).toBe(true);
    expect(others.value.map((one) => one.colour)).toEqual([INKS[0], INKS[1], INKS[1], INKS[2]]);
    expect(others.value.map((one) => one.value)).toEqual([0.1, -0.4, 0.6, 0.2]);
    expect(others.value.map((one) => one.silent)).toEqual([false, false, false, true]);
    expect(others.value[3]!.spread?.value).toBe(0.5);
    expect(chosen.value).toEqual([]);
    useSelection().choose("voices");
    expect(others.value.length).toBe(3);
    expect(chosen.value.map((one) => one.chosen)).toEqual([true]);
  });

  it("say where a group shifts them, what they follow, and whether that is switched off", async () => {
    await open();
    const { others } = scope.run(() => useLines())!;
    const [oars, left] = others.value;
    expect(oars).toMatchObject({ shift: 0.25, off: false });
    expect(oars!.points.map((one) => one.t)).toEqual([0, 4]);
    expect([left!.shift, left!.off]).toEqual([0, true]);
  });

  it("of two sides are bold where both are worked on; the one that is not lies below", async () => {
    const { view } = await open();
    const { chosen } = scope.run(() => useLines())!;
    useSelection().choose("gulls");
    view.showLane({ owner: "gulls", parameter: "pan_left" });
    expect(chosen.value.map((one) => one.chosen)).toEqual([true, true]);
    useMoves().toggleAlong({ owner: "gulls", parameter: "pan_right" });
    expect(chosen.value.map((one) => [one.value, one.chosen])).toEqual([
      [0.6, false],
      [-0.4, true],
    ]);
  });

  it("of others are dimmed or hidden as one likes; of a return they are drawn in its ink", async () => {
    const { view, tools } = await open();
    const { others, chosen, isField } = scope.run(() => useLines())!;
    tools.others = "dimmed";
    expect(others.value.every((one) => one.strength! < 0.2)).toBe(true);
    tools.others = "hidden";
    expect(others.value).toEqual([]);
    tools.others = "shown";
    useSelection().choose("oars");
    view.showLane({ owner: "return:quay", parameter: "pan" });
    expect(isField.value).toBe(false);
    expect(others.value).toEqual([]);
    expect(chosen.value.map((one) => [one.colour, one.value])).toEqual([[INKS[3], 0.3]]);
  });

  it("go with the hand that drags a point, and only the chosen one's do", async () => {
    const { view } = await open();
    const { others, chosen } = scope.run(() => useLines())!;
    useSelection().choose("oars");
    view.dragged = { key: "oars/pan", points: [point(0, 0.9)] as never };
    expect(chosen.value[0]!.points.map((one) => one.value)).toEqual([0.9]);
    useSelection().choose("gulls");
    expect(others.value[0]!.points.map((one) => one.value)).toEqual([-0.5, 0.5]);
  });

  it("stand where a hand shows them, but while it is written where the static value is", async () => {
    const { session } = await open();
    useSelection().choose("oars");
    vi.spyOn(session, "shown").mockReturnValue(0.8);
    const value = (): number => scope.run(() => useLines())!.chosen.value[0]!.value;
    expect(value()).toBe(0.8);
    vi.spyOn(useRecorder(), "writes").mockReturnValue(true);
    expect(value()).toBe(0.1);
  });
});

describe("marks in the field", () => {
  it("stand where the sources sound at the playhead, as their group shifts them", async () => {
    const { session } = await open();
    const { marks } = scope.run(() => useMarks(() => undefined))!;
    const at = (): number => marks.value[0]!.ends[0]!.at;
    expect(at()).toBeCloseTo(-0.25);
    session.at = 4;
    expect(at()).toBeCloseTo(0.75);
    expect(marks.value[0]).toMatchObject({ kind: "direct", level: -6, unsent: false });
    expect(marks.value[0]!.own).toBeCloseTo(0.5);
    expect(marks.value[1]!.ends).toEqual([
      { side: "left", at: -0.4 },
      { side: "right", at: 0.6 },
    ]);
    expect(marks.value[2]!.ends.map((end) => end.at)).toEqual([-0.3, 0.7]);
  });

  it("are heard or not as one listens", async () => {
    const { player } = await open();
    const { marks } = scope.run(() => useMarks(() => undefined))!;
    const heard = (): boolean[] => marks.value.map((one) => one.heard);
    expect(heard()).toEqual([true, true, false]);
    player.solo = ["voices"];
    expect(heard()).toEqual([false, false, true]);
  });

  it("in a return stand at a place of their own, opposite, or unsent at the foot", async () => {
    const { session } = await open();
    const { marks } = scope.run(() => useMarks(() => session.returns[0]))!;
    const [oars, gulls, voices] = marks.value;
    expect(oars).toMatchObject({
      kind: "own",
      level: -12,
      unsent: false,
      ends: [{ side: "whole", at: -0.7 }],
    });
    expect(gulls).toMatchObject({ kind: "opposite", level: -6 });
    expect(gulls!.ends.map((end) => end.at)).toEqual([0.4, -0.6]);
    expect(voices).toMatchObject({ unsent: true, level: -96 });
    expect(voices!.ends.length).toBe(1);
    expect(voices!.ends[0]!.at).toBeCloseTo(0.2);
  });
});

describe("what lies on top", () => {
  it("is what is chosen; while a hand is down nothing changes its place", async () => {
    await open();
    const ids = ["oars", "gulls", "voices"];
    const { ordered, hold } = scope.run(() => useDrawingOrder(() => ids, (one) => one))!; // prettier-ignore
    expect(ordered.value).toEqual(ids);
    useSelection().choose("oars");
    expect(ordered.value).toEqual(["gulls", "voices", "oars"]);
    useSelection().choose("gulls", true);
    expect(ordered.value).toEqual(["voices", "oars", "gulls"]);
    hold();
    useSelection().choose("voices");
    expect(ordered.value).toEqual(["voices", "oars", "gulls"]);
  });
});

describe("axes", () => {
  it.each(["pan", "level", "trim", "span", "rotation", "pulse_period", "pulse_rate", "pulse_depth"] as const)(
    "of %s go there and back, rise to the right, and have their labels inside",
    (parameter) => {
      const axis = axisFor(parameter, 700);
      const places = axis.ticks.map((tick) => axis.x(tick.value));
      expect(places).toEqual([...places].sort((a, b) => a - b));
      expect(places[0]).toBeGreaterThanOrEqual(48);
      expect(places.at(-1)).toBeLessThanOrEqual(676);
      for (const tick of axis.ticks) {
        expect(axis.value(axis.x(tick.value))).toBeCloseTo(tick.value, 6);
        expect(tick.label).not.toBe("");
      }
    },
  );

  it("keep what lies beyond at their edge, and write fewer labels where there is no room", () => {
    const axis = axisFor("pan", 400);
    expect([axis.x(-3), axis.x(3)]).toEqual([axis.x(-1), axis.x(1)]);
    expect([0, 1, 2].map((index) => labelled(400, index))).toEqual([true, false, true]);
    expect([0, 1].map((index) => labelled(700, index))).toEqual([true, true]);
  });

  it("of levels give most room to where mixing happens, loud at the top", () => {
    const axis = levelHeight(0, 600);
    const span = (low: number, high: number): number => axis.x(low) - axis.x(high);
    expect(axis.x(12)).toBe(0);
    expect(axis.x(-96)).toBe(600);
    expect(span(-12, 0)).toBeGreaterThan(span(-36, -24));
    expect(axis.ticks[0]!.label).toBe("off");
  });
});

describe("a dealt part", () => {
  const events = [0, 1, 2.5].map((t, i) => ({
    id: `${i}`,
    t,
    seconds: 0.5,
    velocity: 0.5,
    place: i % 2,
  })) as never;

  it("finds what sounds at a time, and what is nearest to it", () => {
    const times = [{ t: 0 }, { t: 1 }, { t: 2.5 }];
    expect([-1, 0, 0.9, 1, 9].map((at) => eventAt(times, at))).toEqual([-1, 0, 0, 1, 2]);
    expect(nearestEvent(times, 1.9, 1)).toBe(2);
    expect(nearestEvent(times, 1.6, 1)).toBe(1);
    expect(nearestEvent(times, 1.75, 0.5)).toBeNull();
    expect(nearestEvent([], 0, 1)).toBeNull();
  });

  it("is drawn at the place where each event is, as big as it is strong, and the chosen one ringed", () => {
    const dots: number[][] = [];
    const corners: number[][] = [];
    const bars: number[][] = [];
    const canvas = {
      beginPath: () => undefined, fill: () => undefined, stroke: vi.fn(), moveTo: (...at: number[]) => corners.push(at),
      lineTo: (...at: number[]) => corners.push(at), arc: (...dot: number[]) => dots.push(dot.slice(0, 3)),
      fillRect: (...box: number[]) => bars.push(box),
    }; // prettier-ignore
    const axis = axisFor("pan", 700);
    const wave = { start: 1, perSecond: 2, channels: [[0, 1, 0.5]] };
    const scene = {
      axis,
      top: 0,
      scale: 100,
      height: 300,
      events,
      pans: [-1, 1],
      wave,
      colour: "#000",
      chosen: 1,
    };
    paintDeal(canvas as never, scene);
    expect(dots).toEqual([
      [axis.x(-1), 0, 4.5],
      [axis.x(1), 100, 4.5],
      [axis.x(-1), 250, 4.5],
    ]);
    // Along the place of each, and across when the next begins.
    expect(corners).toEqual([
      [axis.x(-1), 0], [axis.x(-1), 100], [axis.x(1), 100], [axis.x(1), 250], [axis.x(-1), 250], [axis.x(-1), 300],
    ]); // prettier-ignore
    expect(canvas.stroke).toHaveBeenCalledTimes(2);
    // The stem is silent, then strong, then half as strong, at the place of the event that sounds.
    expect(bars.map((box) => box[1])).toEqual([150, 200]);
    expect(bars.every((box) => Math.abs(box[0]! + box[2]! / 2 - axis.x(1)) < 1e-9)).toBe(true);
    expect(bars[0]![2]).toBe(2 * bars[1]![2]!);
  });
});
