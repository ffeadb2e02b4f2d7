/** The room on the page: coordinates as they are typed, what a hand hears, how it is drawn, what may sound from where. */
import { useSelection } from "@/session/selection";
import { describe, expect, it } from "vitest";
import { useChartView } from "@/session/view";
import { useMoves } from "@/session/moves";
import { depthText, directionText, parseDepth } from "@/domain/format";
import { petal, roomView } from "@/desks/place/plan/view";
import { usePlanHand } from "@/gestures/planDrag";
import { useLibrary } from "@/session/library";
import { useRoom } from "@/session/room";
import { roomTaps, type HandRow, type RoomReading } from "@/audio/heldSource";
import { Desk, ROOMS, settle, source } from "./desk";

describe("places as they are written and typed", () => {
  it("reads depth either way round", () => {
    for (const [typed, value] of [
      ["F25", 0.25],
      ["25b", -0.25],
      ["-50", -0.5],
      ["0", 0],
      ["middle", 0],
    ] as const)
      expect(parseDepth(typed)).toBeCloseTo(value);
    for (const wrong of ["", "x", "F200", "F25B"]) expect(parseDepth(wrong)).toBeNull();
    expect([depthText(0.25), depthText(-0.5), depthText(0.0001)]).toEqual(["F25", "B50", "middle"]);
  });

  it("says a direction in words", () => {
    expect(directionText(71, 18)).toBe("71° left · up 18°");
    expect(directionText(-30, 0)).toBe("30° right");
    expect(directionText(0, 0)).toBe("in front");
    expect(directionText(-180, 0)).toBe("behind");
    expect(directionText(10, 90)).toBe("straight above");
  });
});

const ROWS: HandRow[] = [{ channel: 0, most: 1, taps: [{ offset: 0, gain: 1 }] }];

describe("what a hand hears in the room", () => {
  const reading: RoomReading = {
    steps: 2,
    versions: 1,
    // Back left, back right, front left, front right: what reaches the left and the right ear.
    tables: [[1, 0, 0, 1, 0.5, 0, 0, 0.5]],
    weights: [2],
  };
  const ears = (x: number, y: number): number[] => roomTaps(reading, ROWS, [{ x, y }]).map((tap) => tap.gain);

  it("is the table at its places, and between them as they lie", () => {
    expect(ears(-1, -1)).toEqual([2, 0]);
    expect(ears(1, 1)).toEqual([0, 1]);
    expect(ears(0, -1)).toEqual([1, 1]);
    expect(ears(-1, 0)).toEqual([1.5, 0]);
    expect(ears(-7, -7)).toEqual([2, 0]);
  });

  it("comes twice where something pulses after the place", () => {
    const twice = { ...reading, versions: 2, tables: [Array.from({ length: 16 }, (_, i) => i)] };
    const taps = roomTaps(twice, ROWS, [{ x: -1, y: -1 }]);
    expect(taps.map(({ input, output }) => [input, output])).toEqual([
      [0, 0],
      [1, 0],
      [0, 1],
      [1, 1],
    ]);
    expect(taps.map((tap) => tap.gain)).toEqual([0, 2, 4, 6]);
  });
});

describe("how the room is drawn", () => {
  it("has left at the left and the front above; from the side the front at the left", () => {
    const plan = roomView(400, 400, false);
    expect(plan.x([-1, 1, 0])).toBeLessThan(plan.cx);
    expect(plan.y([0, 1, 0])).toBeLessThan(plan.cy);
    expect(plan.at(plan.x([0.4, -0.3, 0]), plan.y([0.4, -0.3, 0])).across).toBeCloseTo(0.4);
    expect(plan.at(plan.x([0.4, -0.3, 0]), plan.y([0.4, -0.3, 0])).along).toBeCloseTo(-0.3);
    expect(plan.x([1, 1, 1])).toBeLessThan(plan.x([1, 1, 0]));
    const side = roomView(400, 400, true);
    expect(side.x([0, 1, 0])).toBeLessThan(side.cx);
    expect(side.y([0, 0, 1])).toBeLessThan(side.cy);
    expect(side.at(side.x([0, 0.5, -0.5]), side.y([0, 0.5, -0.5])).across).toBeCloseTo(0.5);
  });

  it("draws a petal as long as the gain", () => {
    const reach = (gain: number): number =>
      Number(/ ([\d.]+) [\d.]+Q/.exec(petal(0, 0, 100, 0, gain, 100))![1]);
    expect(reach(1)).toBeGreaterThan(reach(0.5));
  });
});

async function inRoom() {
  const desk = new Desk(
    { sources: { oars: source("oars", 0), wide: source("wide", 1, { channels: 2, mode: "sides" }) } },
    8,
  );
  desk.layout = "0+5+0";
  useLibrary().library = { ...ROOMS, modes: [] } as never;
  const session = await desk.open();
  const room = useRoom();
  useSelection().chosen = "oars";
  await settle();
  return {
    desk,
    session,
    room,
    oars: session.document!.sources.oars!,
    wide: session.document!.sources.wide!,
  };
}

describe("a room", () => {
  it("knows what can be moved in it", async () => {
    const { room, oars, wide } = await inRoom();
    expect(room.surround).toBe(true);
    expect(room.groups).toEqual(["centre", "front", "sides"]);
    expect(room.lanesOf(oars)).toEqual(["front", "height", "spread", "rotation", "centre_level", "lfe"]);
    expect(room.lanesOf(wide)).toContain("front_left");
  });

  it("permits and forbids, always or in a passage, but never the last", async () => {
    const { desk, room, oars } = await inRoom();
    room.permit(oars, ["M+000"], false);
    await settle();
    room.passage = "chorus";
    room.permit(oars, ["M+030", "M-030"], false);
    await settle();
    expect(desk.operations).toEqual([
      { kind: "set-route", source: "oars", passage: "", off: ["M+000"] },
      { kind: "set-route", source: "oars", passage: "chorus", off: ["M+030", "M-030"] },
    ]);
    room.permit(oars, room.speakers.map((one) => one.name), false); // prettier-ignore
    expect(desk.operations).toHaveLength(2);
  });

  it("shows what a hand holds, here or elsewhere, where it is held", async () => {
    const { desk, session, room } = await inRoom();
    session.hold("oars.pan", -0.5);
    session.hold("oars.front", -0.25);
    expect(room.endsNow("oars")).toEqual([[-0.5, -0.25, 0]]);
    session.letGo("oars.pan");
    session.letGo("oars.front");
    desk.hear({ type: "preview", control: "wide.front_left", value: -1, tab: "t" });
    expect(room.endsNow("wide")).toEqual([[-1, -1, 0], [1, 1, 0]]); // prettier-ignore
  });

  it("moves both coordinates in one change, and leaves alone what is locked", async () => {
    const { desk, room, oars } = await inRoom();
    const plan = usePlanHand();
    expect(plan.valuesFor(oars, "whole", { across: 0.5, depth: -0.5 })).toEqual({ pan: 0.5, front: -0.5 });
    room.locked.across = true;
    expect(plan.valuesFor(oars, "whole", { across: 0.5, depth: -0.5 })).toEqual({ front: -0.5 });
    room.locked.across = false;
    const values = plan.move(oars, "whole", { across: 0.5, depth: -0.5 });
    plan.drop(oars, values);
    await settle();
    expect(desk.operations.at(-1)).toEqual({ kind: "place-source", source: "oars", pan: 0.5, front: -0.5 });
    await settle();
    plan.reset(oars);
    await settle();
    expect(desk.operations.at(-1)).toMatchObject({
      kind: "place-source",
      pan: 0,
      front: 1,
      height: 0,
      spread: 0,
    });
  });

  it("lifts each side of a stereo source by itself or both together", async () => {
    const { wide } = await inRoom();
    const plan = usePlanHand();
    expect(plan.valuesFor(wide, "left", { height: 0.5 })).toEqual({ height_left: 0.5 });
    expect(plan.valuesFor(wide, "whole", { height: 0.5 })).toEqual({ height_left: 0.5, height_right: 0.5 });
  });
});

describe("several in a room", () => {
  it("are moved by the same, each from where it stands, as one change", async () => {
    const { desk, session, room, oars, wide } = await inRoom();
    const plan = usePlanHand();
    useSelection().chooseThese(["oars", "wide"]);
    expect(plan.takenAlong(oars).map((one) => one.id)).toEqual(["oars", "wide"]);
    plan.moveAll([oars, wide], { across: 0.25, depth: -0.5 });
    expect(room.endsNow("oars")).toEqual([[0.25, 0.5, 0]]);
    expect(session.shown("wide.front_left", 1)).toBe(0.5);
    plan.dropAll([oars, wide], { across: 0.25, depth: -0.5 });
    await settle();
    expect(desk.operations.at(-1)).toMatchObject({
      kind: "batch",
      operations: [
        { kind: "shift-values", sources: ["oars"], parameter: "pan", by: 0.25 },
        { kind: "shift-values", sources: ["wide"], parameter: "pan_left", by: 0.25 },
        { kind: "shift-values", sources: ["wide"], parameter: "pan_right", by: 0.25 },
        { kind: "shift-values", sources: ["oars"], parameter: "front", by: -0.5 },
        { kind: "shift-values", sources: ["wide"], parameter: "front_left", by: -0.5 },
        { kind: "shift-values", sources: ["wide"], parameter: "front_right", by: -0.5 },
      ],
    });
  });
});

describe("two returns in a room", () => {
  it("sweep against each other as one change of both lanes", async () => {
    const one = (id: string, order: number) => ({
      id, name: id, colour: 0, order, level: 0, muted: false, pan: 0, width: 1, effects: [], front: 0, height: 0,
      spread: 0, rotation: 0, envelopment: 0.7,
    }); // prettier-ignore
    const desk = new Desk(
      { sources: { oars: source("oars", 0) }, returns: { hull: one("hull", 0), quay: one("quay", 1) } },
      8,
    );
    desk.layout = "0+5+0";
    useLibrary().library = { ...ROOMS, modes: [] } as never;
    await desk.open();
    useSelection().chosen = "oars";
    const [moves, view] = [useMoves(), useChartView()];
    view.showLane({ owner: "return:hull", parameter: "pan" });
    moves.pick(0, 4);
    moves.toggleAlong({ owner: "return:quay", parameter: "pan" });
    expect(moves.lanes.map((lane) => lane.owner)).toEqual(["return:hull", "return:quay"]);
    desk.answers = Array.from({ length: 4 }, () => "not needed here");
    await moves.look({
      kind: "sweep",
      from_value: -1,
      to_value: 1,
      crossings: 1,
      shape: "ease",
      tension: 0,
    } as never);
    const asked = desk.posted.at(-1)!;
    expect(asked.path).toContain("/moves/edit");
    expect((asked.body as unknown as { lanes: object[] }).lanes).toEqual([
      { owner: "return:hull", parameter: "pan", mirrored: false },
      { owner: "return:quay", parameter: "pan", mirrored: true },
    ]);
  });
});
