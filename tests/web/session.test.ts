/** The shared session in the page: shown at once, taken back when refused, and everybody's in the end. */
import { operation, batch, useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { usePlacing } from "@/session/placing";
import { say } from "@/ui/say";
import { useNotices } from "@/ui/notices";
import { setsAutomated } from "@/domain/automated";
import { Desk, settle, source } from "./desk";

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

const group = { id: "g", name: "Group", order: 0, level: 0, muted: false, shift: 0.3 };
const hall = {
  id: "hall",
  name: "Hall",
  colour: 0,
  order: 0,
  level: 0,
  muted: false,
  pan: 0,
  width: 1,
  effects: [],
};
const lane = (id: string, parameter: string, points: [number, number][]) => ({
  id: `${id}/${parameter}`, source: id, parameter,
  points: points.map(([t, value]) => ({ t, value, shape: "straight", tension: 0 })),
}); // prettier-ignore

const parts = () => ({
  sources: {
    oars: source("oars", 0, { pan: 0.1 }),
    gulls: source("gulls", 1, { channels: 2, mode: "sides", pan_left: -0.4, pan_right: 0.4 }),
    drum: source("drum", 2, { pan: 0.2, group: "g" }),
  },
  groups: { g: group },
  returns: { hall },
  lanes: { "oars/level": lane("oars", "level", [[0, -6], [4, 0]]) }, // prettier-ignore
});

afterEach(() => {
  vi.unstubAllGlobals();
  vi.clearAllMocks();
});

describe("a change", () => {
  it("shows at once, and stays when it has come back", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const [edits, oars] = [useEdits(), session.sources[0]!];
    desk.quick = false;
    desk.answers = [[{ part: "sources", key: "oars", value: { ...oars, pan: 0.5 } }]];
    edits.setValue(oars, "pan", 0.5, 0);
    expect(session.valueAt(oars, "pan", 0)).toBe(0.5);
    expect(session.sources[0]!.pan).toBe(0.1);
    await settle();
    desk.release();
    await settle();
    expect(session.pending.size).toBe(0);
    expect(session.sources[0]!.pan).toBe(0.5);
    expect(desk.operations).toEqual([{ kind: "place-source", source: "oars", pan: 0.5 }]);
  });

  it("is taken back with the server's sentence when it is refused", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    desk.answers = ["pan: too far"];
    useEdits().setValue(session.sources[0]!, "pan", 0.9, 0);
    await settle();
    expect(session.valueAt(session.sources[0]!, "pan", 0)).toBe(0.1);
    expect(session.refusals).toBe(1);
    expect(say.wrong).toHaveBeenCalledWith("pan: too far");
  });

  it("of several values is one operation: a point where it is automated and one wishes that", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    setsAutomated.value = "point";
    useEdits().setValues(session.sources[0]!, { pan: -0.2, level: -9 }, 2);
    expect(session.points("oars", "level").map((point) => point.value)).toEqual([-6, -9, 0]);
    expect(session.valueAt(session.sources[0]!, "pan", 0)).toBe(-0.2);
    await settle();
    const [sent] = desk.operations as { kind: string; operations: Record<string, unknown>[] }[];
    expect(sent!.kind).toBe("batch");
    expect(sent!.operations.map((one) => one.kind)).toEqual(["write-points", "place-source"]);
    expect(sent!.operations[0]).toMatchObject({ parameter: "level", start: 2, end: 2 });
  });

  it("of what is automated moves its whole line, and asks once whether it is to", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const notices = useNotices();
    const before = session.points("oars", "level").map((point) => point.value);
    const now = session.valueAt(session.sources[0]!, "level", 2);
    useEdits().setValue(session.sources[0]!, "level", now - 3, 2);
    expect(session.points("oars", "level").map((point) => point.value)).toEqual(before.map((one) => one - 3));
    expect(session.valueAt(session.sources[0]!, "level", 2)).toBeCloseTo(now - 3);
    await settle();
    expect(desk.operations).toMatchObject([
      { kind: "shift-values", sources: ["oars"], parameter: "level", by: -3 },
    ]);
    const [asked] = notices.all;
    expect(asked!.text).toContain("Level is automated");
    notices.act(asked!, "other");
    expect(setsAutomated.value).toBe("point");
    useEdits().setValue(session.sources[0]!, "level", now, 2);
    expect(notices.all).toEqual([]);
    expect(session.points("oars", "level")).toHaveLength(before.length + 1);
  });

  it("a single one needs no wrapping", () => {
    const one = operation("remove-source", { source: "oars" });
    expect(batch("one", [one])).toBe(one);
  });
});

describe("what is made of the session", () => {
  const moved = [{ part: "sources", key: "oars", value: source("oars", 0, { pan: 0.5 }) }];

  it("holds every change of one's own, however slow the line, and those before it", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    expect(await session.settled()).toBe(5);
    desk.quick = false;
    desk.answers = [moved];
    useEdits().setValue(session.sources[0]!, "pan", 0.5, 0);
    let revision = 0;
    void session.settled().then((found) => (revision = found));
    await settle();
    expect(revision).toBe(0);
    // A colleague's change has come in between, and is told last.
    const theirs = desk.told([]);
    desk.release();
    await settle();
    expect([revision, session.revision]).toEqual([0, 5]);
    desk.hear(theirs);
    await settle();
    expect([revision, session.sources[0]!.pan]).toEqual([7, 0.5]);
  });

  it.each(["the connection goes", "another session is opened"])(
    "is not made of half of them when %s",
    async (why) => {
      const desk = new Desk(parts());
      const session = await desk.open();
      desk.quick = false;
      useEdits().setValue(session.sources[0]!, "pan", 0.5, 0);
      const made = session.settled();
      if (why === "the connection goes") desk.wire.close();
      else session.close();
      await expect(made).rejects.toThrow("Your last changes are waiting for the connection.");
    },
  );
});

describe("others' changes", () => {
  it("arrive in order, whatever the wire does", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const moved = (pan: number) => [{ part: "sources", key: "oars", value: source("oars", 0, { pan }) }];
    const [first, second] = [desk.told(moved(0.3)), desk.told(moved(0.6))];
    desk.hear(second);
    expect(session.sources[0]!.pan).toBe(0.1);
    expect(desk.asked.some((path) => path.includes("operations?since=5"))).toBe(true);
    desk.hear(first);
    expect([session.revision, session.sources[0]!.pan]).toEqual([7, 0.6]);
    desk.hear(first);
    expect(session.revision).toBe(7);
  });

  it("are fetched until no gap is left, also one that came while others were fetched", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const told = [desk.told([]), desk.told([]), desk.told([]), desk.told([])];
    let release: () => void = () => undefined;
    const first = new Promise<void>((go) => (release = go));
    desk.gives["operations?since=5"] = async () => (await first, told.slice(0, 2));
    desk.gives["operations?since=7"] = () => told.slice(2);
    desk.hear(told[1]);
    desk.hear(told[3]);
    release();
    await settle();
    await settle();
    expect(session.revision).toBe(9);
    expect(await session.settled()).toBe(9);
  });

  it("are asked for again where they could not be had, though the connection stays", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const [missing, later] = [desk.told([]), desk.told([])];
    let attempts = 0;
    desk.gives["operations?since=5"] = () => {
      attempts += 1;
      if (attempts === 1) throw new TypeError("the line broke off");
      return [missing];
    };
    desk.hear(later);
    await vi.waitFor(() => expect(session.revision).toBe(7), { timeout: 30_000 });
    expect(await session.settled()).toBe(7);
    expect(attempts).toBe(2);
  });

  it("take things away, and change the settings and what the page measures by", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    desk.asked = [];
    desk.hear(desk.told([{ part: "sources", key: "drum", value: null }]));
    expect(session.sources.map((one) => one.id)).toEqual(["oars", "gulls"]);
    await settle();
    expect(desk.asked).toEqual(["/api/sessions/s/frame"]);
    const settings = { ...session.settings!, law: "compromise", length: 20 };
    desk.hear(desk.told([{ part: "session", key: "settings", value: settings }]));
    await settle();
    expect(session.settings!.law).toBe("compromise");
    expect(desk.asked).toHaveLength(2);
    // With a length of its own, a source more or less does not move the end.
    desk.hear(desk.told([{ part: "sources", key: "gulls", value: null }]));
    await settle();
    expect(desk.asked).toHaveLength(2);
  });

  it("held things show as they move, and go with the tab that holds them", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const oars = session.sources[0]!;
    desk.hear({ type: "presence", person: { tab: "t", id: 2, name: "Ines", chosen: "oars" } });
    desk.hear({ type: "preview", tab: "t", control: "oars.pan", value: -0.7 });
    expect(session.valueAt(oars, "pan", 0)).toBe(-0.7);
    expect(session.holder("oars.pan")?.name).toBe("Ines");
    expect(useHolding().holderOf(oars)?.name).toBe("Ines");
    expect(useHolding().grasp(oars)).toBe(false);
    desk.hear({ type: "gone", tab: "t" });
    expect(session.valueAt(oars, "pan", 0)).toBe(0.1);
    expect(useHolding().grasp(oars)).toBe(true);
  });
});

describe("a hand", () => {
  it("tells every part that it holds, and lets all of them go", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const gulls = session.sources[1]!;
    const hand = useHolding();
    hand.grasp(gulls);
    hand.move(gulls, hand.toEnd(gulls, "whole", 0.2));
    expect(desk.previews.map((one) => one.control)).toEqual(["gulls.pan_left", "gulls.pan_right"]);
    expect(session.valueAt(gulls, "pan_left", 0)).toBeCloseTo(-0.2);
    hand.drop(gulls);
    expect(session.pending.size).toBe(0);
    expect(desk.previews.slice(2).map((one) => one.value)).toEqual([null, null]);
    expect(desk.posted).toEqual([]);
  });

  it("that lets go makes one change, and tells colleagues when it has come back", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const gulls = session.sources[1]!;
    const hand = useHolding();
    const values = hand.toEnd(gulls, "left", -0.9);
    hand.grasp(gulls);
    hand.move(gulls, values);
    hand.set(gulls, values);
    await settle();
    expect(desk.operations).toEqual([{ kind: "place-source", source: "gulls", pan_left: -0.9 }]);
    expect(desk.previews.at(-1)).toEqual({ type: "preview", control: "gulls.pan_left", value: null });
  });
});

describe("a group", () => {
  it("shifts what is shown, and what a hand wants is what results", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const drum = session.sources[2]!;
    expect(session.valueAt(drum, "pan", 0)).toBeCloseTo(0.5);
    expect(session.ownValueAt(drum, "pan", 0)).toBe(0.2);
    useEdits().setValue(drum, "pan", -0.1, 0);
    expect(session.valueAt(drum, "pan", 0)).toBeCloseTo(-0.1);
    await settle();
    expect(desk.operations[0]).toMatchObject({ kind: "place-source", pan: -0.4 });
  });

  it("mutes its members, and its shift is held within the field", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const [edits, drum] = [useEdits(), session.sources[2]!];
    edits.setGroup(session.groups[0]!, { muted: true });
    expect(session.muted(drum)).toBe(true);
    expect(session.muted(session.sources[0]!)).toBe(false);
    edits.setGroup(session.groups[0]!, { shift: 1 });
    expect(session.valueAt(drum, "pan", 0)).toBe(1);
  });
});

describe("several sources", () => {
  it("are shifted by the same, lanes bodily, within the limits", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    const edits = useEdits();
    edits.shift(session.sources.slice(0, 2), "level", 20);
    expect(session.points("oars", "level").map((point) => point.value)).toEqual([12, 12]);
    expect(session.valueAt(session.sources[1]!, "level", 0)).toBe(12);
    edits.shiftPlaces(session.sources, 0.1);
    await settle();
    const kinds = desk.operations.map((one) => one.kind);
    expect(kinds).toEqual(["shift-values", "batch"]);
    const inside = (desk.operations[1] as { operations: { parameter: string; sources: string[] }[] })
      .operations;
    expect(inside.map((one) => [one.parameter, one.sources])).toEqual([
      ["pan", ["oars", "drum"]],
      ["pan_left", ["gulls"]],
      ["pan_right", ["gulls"]],
    ]);
  });

  it("dragged together are one change, and show what the hand holds until it is back", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    desk.quick = false;
    session.hold("oars.pan", 0.3);
    session.hold("oars.level", -3);
    session.hold("gulls.pan_left", -0.2);
    useEdits().shiftAll(session.sources.slice(0, 2), 0.2, 3);
    expect(session.valueAt(session.sources[0]!, "pan", 0)).toBe(0.3);
    await settle();
    const sent = desk.operations[0] as { kind: string; operations: { parameter: string; by: number }[] };
    expect(sent.operations.map((one) => [one.parameter, one.by])).toEqual([
      ["pan", 0.2],
      ["pan_left", 0.2],
      ["pan_right", 0.2],
      ["level", 3],
    ]);
    desk.release();
    await settle();
    expect(session.pending.size).toBe(0);
    session.hold("oars.pan", 0.3);
    useEdits().shiftAll([session.sources[0]!], 0, 0);
    expect(session.pending.size).toBe(0);
  });

  it("are put elsewhere in the list as one change", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    usePlacing().putBefore(session.sources[2]!, session.sources[0]!);
    await settle();
    const sent = desk.operations[0] as { operations: { kind: string; source: string; order?: number }[] };
    expect(
      sent.operations.filter((one) => one.kind === "arrange-source").map((one) => [one.source, one.order]),
    ).toEqual([
      ["drum", 0],
      ["oars", 1],
      ["gulls", 2],
    ]);
    expect(sent.operations.at(-1)).toMatchObject({ kind: "join-group", source: "drum", group: "" });
  });
});

describe("a whole source", () => {
  it("is split where its sides stand, each taking its channel", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    usePlacing().split(session.sources[1]!);
    await settle();
    const sent = desk.operations[0] as { operations: { kind: string; source: ReturnType<typeof source> }[] };
    expect(sent.operations.map((one) => one.kind)).toEqual(["add-source", "add-source", "remove-source"]);
    expect(
      sent.operations.slice(0, 2).map(({ source }) => [source.name, source.first_channel, source.pan]),
    ).toEqual([
      ["gulls left", 0, -0.4],
      ["gulls right", 1, 0.4],
    ]);
  });

  it("is duplicated with its lanes and sends", async () => {
    const desk = new Desk({
      ...parts(),
      sends: {
        "oars/hall": {
          id: "oars/hall",
          source: "oars",
          return: "hall",
          level: -12,
          before: false,
          place: "same",
          pan: 0,
        },
      },
    });
    const session = await desk.open();
    usePlacing().duplicate(session.sources[0]!);
    await settle();
    const sent = desk.operations[0] as unknown as {
      source: { id: string; name: string };
      lanes: Record<string, unknown[]>;
      sends: { id: string; source: string }[];
    };
    expect(sent.source.name).toBe("oars copy");
    expect(sent.lanes.level).toHaveLength(2);
    expect(sent.sends[0]).toMatchObject({ id: `${sent.source.id}/hall`, source: sent.source.id, level: -12 });
  });
});

describe("a send", () => {
  it("stands at off until it is there, and shows what a hand does to it", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    expect(session.send("oars", "hall")).toMatchObject({ level: -96, place: "same", pre: false });
    session.hold("send:oars/hall.level", -20);
    expect(session.send("oars", "hall").level).toBe(-20);
    useEdits().setSend("oars", "hall", { level: -18, place: "own", pan: 0.4 });
    expect(session.send("oars", "hall")).toMatchObject({ level: -18, place: "own", pan: 0.4 });
    await settle();
    expect(desk.operations[0]).toEqual({
      kind: "set-send", source: "oars", to: "hall", level: -18, place: "own", pan: 0.4,
    }); // prettier-ignore
  });
});

describe("another session", () => {
  it("is measured by itself, though the one before is answered late", async () => {
    const desk = new Desk(parts());
    const session = await desk.open();
    let answer = (_frame: unknown): void => undefined;
    desk.gives["/sessions/s/frame"] = () => new Promise((go) => (answer = go));
    desk.hear(desk.told([{ part: "sources", key: "oars", value: source("oars", 0, { start: 20 }) }]));
    await settle();
    await session.open("t");
    await settle();
    answer({ revision: 99, length: 30, bars: [], shapes: { steps: 2, shapes: {} }, gains: {} });
    await settle();
    expect(session.length).toBe(8);
    expect(session.sources[0]!.start).toBe(0);
  });
});
