/** The Pulse desk's own arithmetic, and what its stores send: drawn figures, events, pulses and deals. */
import { setsAutomated } from "@/domain/automated";
import { useSelection } from "@/session/selection";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { eventAt, nearestEvent } from "@/domain/events";
import { beatY, centreOf, marksOf, placePath, reachOf, sidePath } from "@/desks/pulse/figure/figure";
import { useAlone } from "@/audio/alone";
import { useDeals } from "@/session/deals";
import { useLibrary } from "@/session/library";
import { usePulses, valuesOf, type Reading } from "@/session/pulses";
import { handTaps, type HandReading } from "@/audio/heldSource";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { useSession } from "@/session/session";
import { ROOMS, Desk, settle, source } from "./desk";

const FIRST = {
  on: true, form: "level", wave: "sine", unit: "beats", period: 1, rate: 1, origin: 0, start_phase: 0, duty: 0.5,
  steps: [1, -1], seed: 1, glide: false, smooth: 0, flip: false, depth: 1, offset: 180, constant_power: false,
  before_conversion: { lanes: {}, off: [], values: {} },
}; // prettier-ignore
const LIMITS = {
  period: { low: 1 / 16, high: 64, unit: "beats" },
  rate: { low: 0.02, high: 64, unit: "Hz" },
};
const pulse = (id: string, values = {}) => ({ id, ...FIRST, ...values });

vi.mock("@/ui/say", () => ({ say: { wrong: vi.fn(), know: vi.fn(), careful: vi.fn(), done: vi.fn() } }));

let desk: Desk;
async function opened(parts = {}) {
  desk = new Desk({
    sources: { pad: source("pad", 0), drum: source("drum", 1) },
    pulses: {}, deals: {}, events: {},
    ...parts,
  }); // prettier-ignore
  const session = await desk.open();
  const rhythm = { at_first: FIRST, limits: LIMITS, threshold: [0.05, 0.2, 0.95] };
  useLibrary().library = { ...ROOMS, rhythm, modes: [] } as never;
  useSelection().chosen = "pad";
  await settle();
  desk.posted = [];
  return session;
}
afterEach(() => vi.unstubAllGlobals());

describe("the figure", () => {
  const frame = { width: 700, height: 500, count: 4 };

  it("reaches out from the centre line as far as the gain says", () => {
    const path = sidePath(frame, [1, 3, 5], [1, 0.5, 0], -1);
    const xs = [...path.matchAll(/[ML]([\d.]+) /g)].map((one) => Number(one[1]));
    const centre = centreOf(frame);
    expect(xs).toEqual([centre, centre - reachOf(frame), centre - reachOf(frame) / 2, centre, centre]);
  });

  it("puts the beats evenly down the page, and places on the field", () => {
    const ys = [1, 2, 3, 4, 5].map((beat) => beatY(frame, beat));
    ys.slice(2).forEach((y, i) => expect(y - ys[i + 1]!).toBeCloseTo(ys[1]! - ys[0]!));
    expect(placePath(frame, [1], [1])).toContain(String(centreOf(frame) + reachOf(frame)));
    expect(sidePath(frame, [], [], 1)).toBe("");
  });

  it("marks each side that falls silent, or is full", () => {
    const reading = {
      silent: { left: [1, 2], right: [1, 3], both: [1] },
      full: { left: [3, 4], right: [2, 4], both: [4] },
    } as unknown as Reading;
    expect([1, 2, 3, 4, 1.5].map((beat) => marksOf(reading, beat).map((mark) => mark.text))).toEqual([
      ["L silent", "R silent"], ["L silent", "R full"], ["L full", "R silent"], ["L full", "R full"], [],
    ]); // prettier-ignore
  });
});

describe("events", () => {
  const events = [0.5, 1, 1.5].map((t) => ({ t, seconds: 0.2, pitch: 60, velocity: 1, place: 0 }));

  it("are found by their time", () => {
    expect([0, 0.5, 0.99, 1, 9].map((at) => eventAt(events, at))).toEqual([-1, 0, 0, 1, 2]);
    expect(eventAt([], 3)).toBe(-1);
  });

  it("are hit only from near", () => {
    expect(nearestEvent(events, 0.97, 0.05)).toBe(1);
    expect(nearestEvent(events, 1.2, 0.05)).toBeNull();
    expect(nearestEvent(events, 1.26, 0.3)).toBe(2);
  });
});

describe("a hand on a source whose sides are turned down", () => {
  it("reads each channel as it is for the left and for the right", () => {
    const reading: HandReading = {
      two_sided: true, rows: [{ channel: 0, most: 1, taps: [{ offset: 0, gain: 1 }] }], weights: [1], table: "law", on_its_side: false, share: 1, here: 1, opposite: 0, most: 0,
      far: false, room: null, monitor: [[1, 0], [0, 1]],
    }; // prettier-ignore
    const gains = { positions: 3, law: [[1, 0], [0.7, 0.7], [0, 1]], balance: [], levels: [1] }; // prettier-ignore
    expect(
      handTaps(reading, gains, [0], 48000).map(({ input, output, gain }) => [input, output, gain]),
    ).toEqual([
      [0, 0, 0.7],
      [1, 1, 0.7],
    ]);
    const mono = { ...reading, monitor: [[0.5, 0.5], [0.5, 0.5]] }; // prettier-ignore
    const inputs = handTaps(mono, gains, [0], 48000).map(({ input, output }) => [input, output]);
    expect(inputs).toEqual([[0, 0], [0, 1], [1, 0], [1, 1]]); // prettier-ignore
  });
});

describe("a pulse", () => {
  it("begins with the first change, and shows at once", async () => {
    await opened();
    const pulses = usePulses();
    desk.quick = false;
    pulses.set({ wave: "square" });
    expect(pulses.pulse).toMatchObject({ on: true, wave: "square", depth: 1 });
    await settle();
    expect(desk.operations).toEqual([{ kind: "set-pulse", owner: "pad", on: true, wave: "square" }]);
  });

  it("is what it was when a change is refused", async () => {
    await opened({ pulses: { pad: pulse("pad") } });
    const pulses = usePulses();
    desk.answers = ["Pad is frozen. Thaw it first."];
    pulses.set({ depth: 0.5 });
    expect(pulses.pulse?.depth).toBe(0.5);
    await settle();
    expect(pulses.pulse?.depth).toBe(1);
  });

  it("shows and sounds as a hand draws its steps, and sends only what it lets go of", async () => {
    await opened({ pulses: { pad: pulse("pad", { wave: "steps", steps: [0, 0, 0] }) } });
    const [pulses, session] = [usePulses(), useSession()];
    pulses.draw([0, 0.5, 0]);
    pulses.draw([0, 0.5, -1]);
    pulses.draw([0, 0, -1]);
    expect(pulses.pulse?.steps).toEqual([0, 0, -1]);
    expect(session.heardAsHeld(false)).toEqual(new Map([["pulse:pad/1.step", 0], ["pulse:pad/2.step", -1]])); // prettier-ignore
    expect(desk.posted).toEqual([]);
    pulses.set({ steps: [0, 0, -1] });
    expect(session.heardAsHeld(false).get("pulse:pad/2.step")).toBe(-1);
    await settle();
    expect(desk.operations).toEqual([{ kind: "set-pulse", owner: "pad", steps: [0, 0, -1] }]);
    expect(session.heardAsHeld(false).size).toBe(0);

    pulses.draw([1, 0, 0]);
    pulses.dropDrawn();
    expect(pulses.pulse?.steps).toEqual([0, 0, 0]);
    expect(session.heardAsHeld(false).size).toBe(0);
  });

  it("is halved and doubled in its own unit, as far as it may", async () => {
    await opened({ pulses: { pad: pulse("pad", { period: 64 }) } });
    const pulses = usePulses();
    pulses.stretch(2);
    pulses.stretch(0.5);
    await settle();
    expect(desk.operations).toEqual([{ kind: "set-pulse", owner: "pad", period: 32 }]);
    await opened({ pulses: { pad: pulse("pad", { unit: "hertz", rate: 2 }) } });
    usePulses().stretch(2);
    await settle();
    expect(desk.operations).toEqual([{ kind: "set-pulse", owner: "pad", rate: 1 }]);
  });

  it("may be of a group, a send or a return, and is the source's own again for another source", async () => {
    await opened({
      sources: { pad: source("pad", 0, { group: "all" }), drum: source("drum", 1) },
      groups: { all: { id: "all", name: "All", order: 0, level: 0, muted: false, shift: 0 } },
      returns: { hall: { id: "hall", name: "Hall", colour: 0, order: 0, level: 0, muted: false, pan: 0, width: 1, effects: [] } },
      sends: { "pad/hall": { id: "pad/hall", source: "pad", return: "hall", level: -6, pre: false, place: "same", pan: 0 } },
      pulses: { "return:hall": pulse("return:hall", { depth: 0.4 }) },
    }); // prettier-ignore
    const pulses = usePulses();
    expect(pulses.owners.map((one) => [one.id, one.pulses])).toEqual([
      ["pad", false], ["group:all", false], ["send:pad/hall", false], ["return:hall", true],
    ]); // prettier-ignore
    pulses.of = "return:hall";
    expect([pulses.isSource, pulses.pulse?.depth]).toEqual([false, 0.4]);
    useSelection().chosen = "drum";
    await settle();
    expect(pulses.owner).toBe("drum");
  });

  it("follows a line where its depth has one", async () => {
    const line = { id: "pad/pulse_depth", owner: "pad", parameter: "pulse_depth", points: [{ t: 0, value: 0.25, shape: "straight", tension: 0 }] }; // prettier-ignore
    const session = await opened({ pulses: { pad: pulse("pad") }, lanes: { "pad/pulse_depth": line } });
    expect(usePulses().follows("depth")).toBe(true);
    expect(session.lineValueAt({ owner: "pad", parameter: "pulse_depth" }, 2)).toBe(0.25);
    expect(session.staticOf("pad", "pulse_depth")).toBe(1);
    expect(session.staticOf("pad", "pulse_period")).toBe(1);
  });

  it("is not changed while the source is frozen", async () => {
    await opened({
      sources: { pad: source("pad", 0, { frozen_asset: "a".repeat(64) }) },
      pulses: { pad: pulse("pad") },
    });
    usePulses().set({ depth: 0.2 });
    await settle();
    expect(desk.posted).toEqual([]);
  });

  it("is heard on trial, and without, for oneself", async () => {
    await opened({ pulses: { pad: pulse("pad") } });
    const [pulses, player, monitor] = [usePulses(), usePlayer(), useMonitor()];
    pulses.withoutIt();
    expect(player.moves).toEqual(["pad/pulse=none"]);
    monitor.compare(false);
    expect(player.moves).toEqual([]);
    // It ends with what it is about: with other values, and with another source.
    pulses.withoutIt();
    pulses.set({ depth: 0.3 });
    expect([player.moves, monitor.moves]).toEqual([[], null]);
    pulses.withoutIt();
    useSelection().chosen = null;
    await settle();
    expect([player.moves, monitor.moves]).toEqual([[], null]);
  });

  it("keeps its values without what names it", () => {
    expect(valuesOf(pulse("pad") as never, ["id", "before_conversion", "on"])).not.toHaveProperty(
      "before_conversion",
    );
  });
});

describe("a deal", () => {
  const place = (id: string, pan: number) => ({
    id, pan, level: 0, low_pass: 0, length: 1, transpose: 0, repeat_interval: 0.5, repeats: 1, fade: 3,
  }); // prettier-ignore
  const deal = { id: "pad", on: true, order: "in-turn", seed: 1, sound: "stem", timbre: "glass", dry: -96, places: [place("p1", -1), place("p2", 1)] }; // prettier-ignore
  const events = { id: "pad", kind: "onsets", name: "", items: [[1, 0.25, 69, 1], [2, 0.25, 69, 1]] }; // prettier-ignore
  let deals: ReturnType<typeof useDeals>;
  beforeEach(async () => {
    await opened({ deals: { pad: deal }, events: { pad: events } });
    deals = useDeals();
  });

  it("takes onsets that are added by hand in the order of time, and not twice", async () => {
    deals.addOnset(1.5);
    deals.addOnset(2.001);
    await settle();
    expect(desk.operations).toEqual([
      {
        kind: "set-events", source: "pad", from: "onsets", name: "",
        items: [[1, 0.25, 69, 1], [1.5, 0.25, 69, 0.8], [2, 0.25, 69, 1]],
      },
    ]); // prettier-ignore
  });

  it("moves and takes away what is meant", async () => {
    deals.moveOnset(0, 2.5);
    deals.removeEvent(1);
    await settle();
    expect(desk.operations.map((one) => (one.items as number[][]).map((item) => item[0]))).toEqual([
      [2, 2.5],
      [1],
    ]);
  });

  it("has its places arranged press by press, and sends quick presses as one change", async () => {
    vi.useFakeTimers();
    desk.takes["/places/arrange"] = (body) => {
      const places = body.places as object[];
      return new Response(JSON.stringify([...places, place(`p${places.length + 1}`, 0)]));
    };
    for (let press = 0; press < 4; press += 1) void deals.act("add");
    await vi.advanceTimersByTimeAsync(100);
    expect(deals.deal!.places.map(({ id }) => id)).toEqual(["p1", "p2", "p3", "p4", "p5", "p6"]);
    const operations = (): Record<string, unknown>[] => desk.operations.filter(Boolean);
    expect(operations()).toEqual([]);
    await vi.advanceTimersByTimeAsync(1000);
    vi.useRealTimers();
    expect(operations()).toHaveLength(1);
    expect(operations()[0]).toMatchObject({ kind: "set-deal", source: "pad" });
    expect((operations()[0]!.places as object[]).length).toBe(6);
  });

  it("solos a place for oneself, and everything again", () => {
    const player = usePlayer();
    deals.solo("p2");
    expect([player.solo, deals.isSoloed("p2"), deals.isSoloed("p1")]).toEqual([["pad.p2"], true, false]);
    deals.solo("p2");
    expect(player.solo).toEqual([]);
    expect(desk.posted).toEqual([]);
  });

  it("is where its note is, for the eye, and where it stands once the deal is off", async () => {
    const dealt = [1, 2].map((t, i) => ({ t, seconds: 0.25, pitch: 69, velocity: 1, place: i }));
    const fetched = globalThis.fetch;
    vi.stubGlobal("fetch", (path: string, options?: RequestInit) =>
      path.includes("/dealt")
        ? Promise.resolve(new Response(JSON.stringify({ events: dealt })))
        : fetched(path, options),
    );
    desk.hear(desk.told([{ part: "deals", key: "pad", value: { ...deal, order: "shuffled" } }]));
    await settle();
    expect([0, 1.5, 2.5].map((at) => deals.panAt("pad", at))).toEqual([-1, -1, 1]);
    expect(deals.panAt("drum", 1)).toBeUndefined();
    desk.hear(desk.told([{ part: "deals", key: "pad", value: { ...deal, on: false } }]));
    await settle();
    expect(deals.panAt("pad", 2.5)).toBeUndefined();
  });

  it("changes one place by itself", async () => {
    deals.setPlace("p1", { pan: 0.5 });
    await settle();
    expect(desk.operations).toEqual([
      { kind: "set-place", source: "pad", place: "p1", values: { pan: 0.5 } },
    ]);
    expect([deals.isOn("pad"), deals.isOn("drum")]).toEqual([true, false]);
  });
});

describe("a source alone", () => {
  it("is heard on its stretch, and everything is as it was afterwards", async () => {
    const session = await opened();
    const [alone, player] = [useAlone(), usePlayer()];
    player.seek(1.25);
    player.solo = ["drum"];
    const fetched = globalThis.fetch;
    vi.stubGlobal("fetch", (path: string, options?: RequestInit) =>
      path.includes("/sounding")
        ? Promise.resolve(new Response('{"start":3,"end":6}'))
        : fetched(path, options),
    );
    await alone.open(session.sources[0]!);
    expect([player.solo, player.roundSpan, player.playhead]).toEqual([["pad"], { start: 3, end: 6 }, 3]);
    alone.close();
    expect([player.solo, player.roundSpan, player.playhead]).toEqual([["drum"], null, 1.25]);
  });
});

describe("a pulse whose depth follows a line", () => {
  it("shows the line's value, and what is set moves the line, or is a point at the playhead as one likes", async () => {
    const line = { id: "pad/pulse_depth", owner: "pad", parameter: "pulse_depth", points: [{ t: 0, value: 0.25, shape: "straight", tension: 0 }] }; // prettier-ignore
    await opened({ pulses: { pad: pulse("pad") }, lanes: { "pad/pulse_depth": line } });
    usePlayer().seek(2);
    const pulses = usePulses();
    expect(pulses.pulse?.depth).toBe(0.25);
    pulses.set({ depth: 0.5 });
    await settle();
    expect(desk.operations).toMatchObject([
      {
        kind: "write-points",
        owner: "pad",
        parameter: "pulse_depth",
        start: 0,
        end: 0,
        points: [{ t: 0, value: 0.5 }],
      },
    ]);
    setsAutomated.value = "point";
    pulses.set({ depth: 0.75 });
    await settle();
    expect(desk.operations.at(-1)).toMatchObject({ start: 2, end: 2, points: [{ value: 0.75 }] });
  });
});
