// @vitest-environment happy-dom
/** The Place desk worked at: hands on the field and the plan, sides and spans, groups, returns, timing, kept placements. */
import type { Schemas } from "@/api/http";
import { usePlayer } from "@/audio/player";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { delayed, Page, type Kind } from "./page";

let page: Page;

async function open(kind: Kind = "stereo", role?: string): Promise<void> {
  page = new Page(kind, role);
  await page.desk("place");
}

const source = (key: string) => page.open.document.sources[key];
const grip = (key: string, end = "whole") =>
  document.querySelector(`[data-mark='${key}'] [data-end='${end}'] .grip`)!;

afterEach(() => page.end());

describe("a loop", () => {
  beforeEach(() => open());
  const rule = (): Element => document.querySelector("[aria-label='The whole piece']")!;
  const loop = (): [number, number] => [usePlayer().loop!.start, usePlayer().loop!.end];
  const across = (at: number): [number, number] => [(at / useSession().length) * 720, 8];
  const bars = (): number[] => useSession().grid.bars.map((bar) => bar.times[0]!);

  it("is drawn on the rule in bars, taken by its ends, and called off by Escape; one hears it at once", async () => {
    vi.spyOn(rule(), "getBoundingClientRect").mockReturnValue({ left: 0, width: 720 } as DOMRect);
    usePlayer().seek(1);
    await page.drag(rule(), across(1.9), across(3), across(3.8));
    expect(loop()).toEqual([2, 4]);
    expect([...bars(), useSession().length]).toEqual(expect.arrayContaining(loop()));
    expect(usePlayer().playhead).toBe(2);
    await page.drag(page.slider("Loop start"), across(2), across(1), across(0.3));
    expect(loop()).toEqual([0, 4]);
    await page.key("ArrowLeft", page.slider("Loop end"));
    expect(loop()).toEqual([0, 2]);
    expect(usePlayer().playhead).toBe(0);
    rule().dispatchEvent(new PointerEvent("pointerdown", { bubbles: true, clientX: 400, pointerId: 1 }));
    rule().dispatchEvent(new PointerEvent("pointermove", { bubbles: true, clientX: 700, pointerId: 1 }));
    expect(loop()).toEqual([2, 4]);
    await page.key("Escape");
    expect(loop()).toEqual([0, 2]);
  });

  it("is typed, taken from the playhead, or by its key; pressed, the rule only seeks", async () => {
    usePlayer().seek(1.3);
    await page.choose("Loop, only for you", "Loop: 1 bar from here");
    expect(loop()).toEqual([0, 2]);
    await page.type("Loop end", "3");
    expect(loop()).toEqual([0, 4]);
    await page.type("Loop start", "2");
    expect(loop()).toEqual([2, 4]);
    await page.key("r");
    expect(usePlayer().loop).toBeNull();
    usePlayer().seek(2.1);
    await page.key("r");
    expect(loop()).toEqual([2, 4]);
    await page.key("r");
    vi.spyOn(rule(), "getBoundingClientRect").mockReturnValue({ left: 0, width: 720 } as DOMRect);
    await page.drag(rule(), across(1));
    expect([usePlayer().playhead, usePlayer().loop]).toEqual([1, null]);
  });
});

describe("a source panned by its sides", () => {
  it("says if one of them is off or lower, and offers both at 0 dB", async () => {
    await open();
    await page.press("Wide");
    await page.changed("sources", "wide", { ...source("wide")!, mode: "sides" });
    expect(page.text).toContain("Nothing is lost");
    await page.changed("sources", "wide", {
      ...source("wide")!,
      mode: "sides",
      level_left: -96,
      level_right: -6,
    });
    expect(page.text).toContain("Left side: off, right side: −6 dB.");
    expect(page.text).not.toContain("Nothing is lost");
    await page.press("Both at 0 dB");
    expect(page.latest).toMatchObject({
      kind: "place-source",
      source: "wide",
      level_left: 0,
      level_right: 0,
    });
  });
});

describe("figures", () => {
  beforeEach(async () => {
    await open();
    await page.press("High");
  });

  it("say what sounds beside what is set, where a group or a trim makes it another", async () => {
    expect(page.text).not.toContain("Sounds at");
    const both = page.open.document.groups.both!;
    await page.changed("groups", "both", { ...both, level: -3, shift: 0.2 });
    const { level, pan } = source("high")!;
    const [sounds, at] = [`${level - 3}`.replace("-", "−"), `R${Math.round((pan + 0.2) * 100)}`];
    expect(page.text).toContain(`Sounds at ${sounds} dB, ${at} with Both.`);
    expect(page.text).toContain(`→ ${sounds}`);
    await page.changed("groups", "both", { ...both, level: -96 });
    expect(page.text).toContain("Sounds at off with Both.");
  });

  it("are kept to a tenth as they are typed, and what is not taken says what is allowed", async () => {
    await page.type("Level now", "-7.26");
    expect(page.latest).toMatchObject({ level: -7.3 });
    await page.type("Level of High", "-1.2");
    expect(page.latest).toMatchObject({ level: -1.2 });
    await page.type("Place now", "-45.5");
    expect(page.latest).toMatchObject({ pan: -0.455 });
    await page.changed("sources", "high", { ...source("high")!, pan: -0.455 });
    expect(page.field("Place now").value).toBe("L45.5");
    const made = page.operations.length;
    await page.type("Place now", "R120");
    expect(page.text).toContain("“R120” was not taken. From L100 to R100");
    expect(page.operations).toHaveLength(made);
  });
});

describe("a hand on the field", () => {
  beforeEach(() => open());

  it("places and levels in one gesture, as one change", async () => {
    await page.drag(grip("wide"), [300, 200], [340, 240], [420, 320]);
    const placed = page.latest as { kind: string; operations: { kind: string }[] };
    expect(page.operations).toHaveLength(1);
    expect(placed.kind).toBe("batch");
    expect(placed.operations.map((one) => one.kind).sort()).toEqual(["place-source", "set-level"]);
  });

  it("takes along what else is chosen, by the same", async () => {
    await page.press("Wide");
    await page.besides("High");
    await page.drag(grip("wide"), [300, 200], [260, 230]);
    const moved = page.latest as { operations: Record<string, unknown>[] };
    expect(page.operations).toHaveLength(1);
    for (const one of moved.operations)
      expect([...(one.sources as string[])].sort()).toEqual(["high", "wide"]);
    const across = moved.operations.find((one) => one.parameter === "pan")!;
    expect(across.by).toBeLessThan(0);
  });

  it("is let go by Escape and changes nothing", async () => {
    grip("wide").dispatchEvent(
      new PointerEvent("pointerdown", { bubbles: true, clientX: 300, clientY: 200 }),
    );
    grip("wide").dispatchEvent(new PointerEvent("pointercancel", { bubbles: true }));
    await page.key("Escape");
    expect(page.operations).toEqual([]);
  });

  it("is nothing to a listener", async () => {
    page.close();
    await open("stereo", "listener");
    await page.drag(grip("wide"), [300, 200], [260, 230]);
    await page.key("ArrowRight", document.querySelector("[data-mark=wide]")!);
    expect(page.operations).toEqual([]);
    for (const name of ["+ Add", "+ Return"]) expect(() => page.button(name)).toThrow();
  });
});

describe("a stereo source", () => {
  beforeEach(async () => {
    await open();
    await page.changed("sources", "wide", { ...source("wide"), mode: "span", pan: 0, span: 0.8 });
    await page.press("Wide");
  });

  it("is dragged by either end of its span, the other stays", async () => {
    await page.drag(grip("wide", "left"), [100, 200], [250, 200]);
    const placed = page.latest as { pan: number; span: number };
    expect(placed.pan + placed.span).toBeCloseTo(0.8, 6);
    expect(placed.span).toBeLessThan(0.8);
  });

  it("goes by keys as a whole, and up", async () => {
    const mark = document.querySelector("[data-mark=wide]")!;
    await page.key("ArrowLeft", mark, { shiftKey: true });
    expect(page.latest).toMatchObject({ source: "wide", pan: -0.1 });
    await page.key("ArrowUp", mark);
    expect(page.latest).toEqual({ kind: "set-level", source: "wide", level: 0.5 });
  });

  it("has every way of panning there before it has been read, and nothing moves when it has", async () => {
    page.close();
    page = new Page();
    const placement = delayed(() => page.answers["/sources/wide/placement"]);
    page.gives["/sources/wide/placement"] = placement.answer;
    await page.desk("place");
    await page.press("Wide");
    const ways = () => document.querySelectorAll("[role=radio]").length;
    const before = ways();
    expect(before).toBeGreaterThan(3);
    placement.release();
    await page.until(() => !page.text.includes("…dB") && /dB/.test(page.text), "it is read");
    expect(ways()).toBe(before);
  });

  it("is panned otherwise by what is read of the present, however long that takes", async () => {
    const answer = page.answers["/sources/wide/placement"] as Schemas["PlacementOut"];
    const sides = answer.modes.find((mode) => mode.name === "sides")!;
    const later = { ...sides, values: { ...sides.values, pan_left: -0.123 } };
    const placement = delayed(() => ({ ...answer, modes: [later] }));
    await page.until(() => !page.named("[role=radio]", /^sides/).textContent.includes("…"), "it is read");
    page.gives["/sources/wide/placement"] = placement.answer;
    await page.changed("sources", "wide", { ...source("wide"), mode: "span", pan: 0.3, span: 0.5 });
    await page.press(/^sides/);
    expect(page.named("[role=radio]", /^sides/).getAttribute("aria-busy")).toBe("true");
    expect(page.operations).toEqual([]);
    placement.release();
    await page.until(() => page.operations.length > 0, "it is chosen");
    expect(JSON.stringify(page.latest)).toContain("-0.123");
  });

  it("is panned otherwise although a reading fails once", async () => {
    await page.until(() => !page.named("[role=radio]", /^sides/).textContent.includes("…"), "it is read");
    const answer = page.answers["/sources/wide/placement"];
    let asked = 0;
    page.gives["/sources/wide/placement"] = () => ((asked += 1) === 1 ? "It could not be read." : answer);
    await page.changed("sources", "wide", { ...source("wide"), mode: "span", pan: 0.3, span: 0.5 });
    await page.press(/^sides/);
    await page.until(() => page.operations.length > 0, "it is chosen");
    expect(asked).toBe(2);
  });
});

describe("groups", () => {
  beforeEach(() => open());

  it("are shifted by typing, and what is in them shows it", async () => {
    await page.type("Shift of Both", "R30");
    expect(page.latest).toEqual({ kind: "set-group", group: "both", shift: 0.3 });
    await page.changed("groups", "both", { ...page.open.document.groups.both, shift: 0.3 });
    expect(page.slider("Position of High").getAttribute("aria-valuetext")).toBe("R80");
    await page.press("Mute Both for everybody");
    expect(page.latest).toEqual({ kind: "set-group", group: "both", muted: true });
  });

  it("are made of what is chosen, which may be heard or shown alone", async () => {
    await page.press("Wide");
    await page.besides("High");
    await page.press("Solo these");
    for (const name of ["Wide", "High"])
      expect(page.button(`Solo ${name}, only you hear it`).getAttribute("aria-pressed")).toBe("true");
    await page.press("Show only these");
    expect(document.querySelectorAll("[data-mark]")).toHaveLength(2);
    expect(page.operations).toEqual([]);
    await page.type("Name of the group", "Upper");
    await page.press("Group");
    expect(page.latest).toMatchObject({
      kind: "add-group",
      members: expect.arrayContaining(["high", "wide"]) as string[],
    });
  });
});

describe("returns", () => {
  beforeEach(async () => {
    await open();
    await page.press("Room");
  });

  it("are sent to by dragging up in their picture, to a place of their own, until it is given up", async () => {
    await page.drag(grip("wide"), [300, 550], [420, 300]);
    const sent = page.latest as { operations?: Record<string, unknown>[] };
    const told = sent.operations ?? [page.latest!];
    const send = Object.assign({}, ...told) as Record<string, unknown>;
    expect(send).toMatchObject({ source: "wide", to: "room", place: "own" });
    expect(send.level).toBeGreaterThan(-60);
    await page.changed("sends", "wide/room", {
      id: "wide/room", source: "wide", return: "room", level: -10, before: false, place: "own", pan: 0.4, front: 1, height: 0,
    }); // prettier-ignore
    document.querySelector("[data-mark=wide]")!.dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
    await page.key("Shift");
    expect(page.latest).toMatchObject({ kind: "set-send", place: "same" });
  });

  it("have a level, a balance, a width and effects, and nothing that only a room has", async () => {
    expect(document.querySelector('[aria-label="Envelopment of Room"]')).toBeNull();
    await page.type("Level of Room", "-4");
    expect(page.latest).toMatchObject({ kind: "set-return", to: "room", level: -4 });
    await page.type("Balance of Room", "R20");
    expect(page.latest).toMatchObject({ kind: "set-return", pan: 0.2 });
    await page.choose(
      "Add an effect",
      page.field("Add an effect").querySelectorAll("option")[1]!.textContent.trim(),
    );
    expect(page.latest?.kind).toBe("arrange-effects");
  });
});

describe("treatments", () => {
  beforeEach(() => open());

  it("tell what timing costs in mono, and take the better delay", async () => {
    const placement = page.answers["/sources/wide/placement"] as Schemas["PlacementOut"];
    placement.mono = {
      ...placement.mono,
      difference: 0.385,
      notches: [1298.7],
      loss: -2.4,
      better: 0.6,
      better_loss: -1.1,
    };
    await page.press("Wide");
    await page.press(/^Delay panning/);
    await page.press(/^both sides/);
    expect(page.latest).toMatchObject({ kind: "place-source", source: "wide", delay_panning: "symmetric" });
    await page.changed("sources", "wide", { ...source("wide"), delay_panning: "symmetric" });
    await page.until(() => page.text.includes("In mono this source loses"), "the price is told");
    await page.press(/^Take 0/);
    expect(page.latest).toEqual({ kind: "place-source", source: "wide", delay_panning_ms: 0.6 });
  });

  it("are heard away while a key is held, by oneself", async () => {
    await page.press("Wide");
    await page.choose("Bypass", "bypass delay panning");
    const window = document.body;
    window.dispatchEvent(new KeyboardEvent("keydown", { key: "w", bubbles: true }));
    await page.until(() => page.text.includes("Bypassed"), "it is heard without");
    expect(usePlayer().bypass).toEqual({ source: "wide", treatment: "delay_panning", at: 0 });
    window.dispatchEvent(new KeyboardEvent("keyup", { key: "w", bubbles: true }));
    await page.until(() => !page.text.includes("Bypassed"), "it comes back");
    expect(usePlayer().bypass).toBeNull();
    expect(page.operations).toEqual([]);
  });
});

describe("a side's width", () => {
  const handle = (name: string) => document.querySelector(`[data-mark=wide] [data-width=${name}]`)!;

  async function apart(more: object = {}): Promise<void> {
    const values = { mode: "sides", pan_left: -0.5, pan_right: 0.5, ...more };
    await page.changed("sources", "wide", { ...source("wide"), ...values });
    await page.press("Wide");
  }

  it("is pulled out of a side on the field, as one change", async () => {
    await open();
    await apart();
    await page.drag(handle("right-to"), [600, 200], [640, 200], [660, 200]);
    const placed = page.latest as Record<string, number>;
    expect(page.operations).toHaveLength(1);
    expect(Object.keys(placed).sort()).toEqual(["kind", "source", "width_right"]);
    expect(placed.width_right).toBeGreaterThan(0);
  });

  it("is typed, and shown on the field", async () => {
    await open();
    await apart({ width_left: 0.5 });
    const mark = document.querySelector("[data-mark=wide]")!;
    expect(mark.getAttribute("aria-label")).toContain("over L100 to C");
    expect(mark.querySelectorAll(".width:not(.none)")).toHaveLength(1);
    await page.type("Right side's width", "40");
    expect(page.latest).toMatchObject({ kind: "place-source", source: "wide", width_right: 0.4 });
  });

  it("is shown on the now strip, and is a line of its own", async () => {
    page = new Page();
    await page.desk("move");
    await apart({ width_left: 0.5, width_right: 0.2 });
    expect(document.querySelectorAll(".strip .part")).toHaveLength(2);
    await page.choose("Parameter", "Left side's width");
    expect(page.text).toContain("50 %");
  });

  it("is seen by a listener and not pulled", async () => {
    await open("stereo", "listener");
    await apart({ width_left: 0.5 });
    expect(document.querySelectorAll("[data-mark=wide] .width")).toHaveLength(1);
    expect(document.querySelectorAll("[data-mark=wide] .width rect")).toHaveLength(0);
  });

  it("lies in the room where the core says that it sounds", async () => {
    await open("room");
    const places = [[-1, 0.5, 0], [0, 0.5, 0]].map((place) => place.map((value) => [value])); // prettier-ignore
    const answer = page.answers["/room/trajectories"] as { trajectories: { id: string; parts: unknown[] }[] };
    answer.trajectories.find((one) => one.id === "wide")!.parts = [places, places];
    await apart({ width_left: 0.5 });
    await page.until(
      () => document.querySelectorAll("[data-mark=wide] path.width").length === 2,
      "it is drawn",
    );
  });
});

describe("kept placements", () => {
  it("are kept by a name, and used with their author's name beside them", async () => {
    page = new Page();
    const kept: Schemas["PresetOut"] = {
      id: "k", kind: "placement", name: "Half wide", author: "Olga", mine: false, sessions: [],
      content: { mode: "sides", pan_left: -0.5, pan_right: 0.5 },
    }; // prettier-ignore
    page.gives["/api/presets"] = (body) => (Object.keys(body).length ? { ...kept, ...body } : [kept]);
    await page.desk("place");
    await page.press("Wide");
    await page.press(/^List and group/);
    await page.choose("Apply a placement preset", "Half wide (Olga)");
    expect(page.latest).toMatchObject({
      kind: "place-source",
      source: "wide",
      pan_left: -0.5,
      pan_right: 0.5,
    });
    await page.type("Name of the preset", "Mine");
    await page.press("Save");
    const sent = page.posted.find((one) => one.path === "/api/presets")!;
    expect(sent.body).toMatchObject({ name: "Mine" });
  });
});

describe("the room", () => {
  beforeEach(async () => {
    await open("room");
    await page.press("High");
  });

  it("forbids groups of loudspeakers for a passage", async () => {
    await page.choose("When these speakers are used", "First");
    const front = [...document.querySelectorAll<HTMLElement>(".ways .may")].find((one) =>
      one.textContent?.includes("front"),
    )!;
    front.click();
    await page.key("Shift");
    const { off, ...way } = page.latest as { off: string[] };
    expect(way).toEqual({ kind: "set-route", source: "high", passage: "first" });
    expect([...off].sort()).toEqual(["M+030", "M-030"]);
  });

  it("shows and sounds as loudspeakers' levels are held, and sets them when the hand lets go", async () => {
    const [room, session] = [useRoom(), useSession()];
    const high = session.sourceById("high")!;
    await page.choose("When these speakers are used", "First");
    session.whileHeld(() => room.setRoute(high, { levels: { front: -6 } }));
    session.whileHeld(() => room.setRoute(high, { direct: -3 }));
    expect(session.heardAsHeld(false)).toEqual(
      new Map([["route:high/first.front", -6], ["route:high/first.direct", -3]]),
    ); // prettier-ignore
    expect(room.routeIn("high", "first")).toMatchObject({ levels: { front: -6 }, direct: -3 });
    expect(room.routeIn("high", "").levels?.["front"]).toBeUndefined();
    const sent = page.operations.length;
    room.setRoute(high, { direct: -3 });
    await page.key("Shift");
    expect(page.operations.slice(sent)).toEqual([
      { kind: "set-route", source: "high", passage: "first", direct: -3 },
    ]);
  });

  it("gives a source layers, mutes and hears them alone", async () => {
    await page.choose("Add a layer", "echo");
    expect(page.latest).toMatchObject({ kind: "add-layer", layer: { source: "high" } });
    await page.press("Mute Thick");
    expect(page.latest).toMatchObject({ kind: "set-layer", layer: "thick", muted: true });
    const sent = page.operations.length;
    await page.press("Solo Thick");
    expect(page.operations).toHaveLength(sent);
    expect(usePlayer().solo).toContain("high.thick");
  });

  it("says by how much its folds are louder than a stereo session", () => {
    const ways = page.field("Room monitoring").querySelectorAll("option");
    const titles = [...ways].map((one) => one.textContent?.trim());
    expect(titles).toEqual(expect.arrayContaining(["Stereo +1.6 dB", "Mono +1.7 dB", "Headphones", "Swap"]));
  });

  it("puts a return's balance back to the middle, where a source would go to the front", async () => {
    await page.press("Room");
    const field = page.field(/^Front–back of/);
    field.dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
    await page.until(() => page.operations.length > 0, "it is set");
    expect(page.latest).toMatchObject({ kind: "set-return", to: "room", front: 0 });
  });

  it("gives returns an envelopment", async () => {
    await page.press("Room");
    await page.type("Envelopment of Room", "40");
    expect(page.latest).toMatchObject({ kind: "set-return", to: "room", envelopment: 0.4 });
  });

  it("is gone through on a path, looked at before it is taken", async () => {
    page.gives["/room/path"] = () => ({
      id: "d", summary: "High: circle", changed: 2,
      writes: ["pan", "front"].map((parameter) => ({
        owner: "high", parameter, start: 0, end: 4, points: [{ t: 0, value: 0.5, shape: "ease", tension: 0 }],
      })),
    }); // prettier-ignore
    await page.press(/^Path/);
    await page.press("circle");
    await page.until(() => page.text.includes("Over bars"), "the path is looked at");
    expect(page.operations).toEqual([]);
    await page.press("Apply");
    const taken = page.latest as { operations: { parameter: string }[] };
    expect(taken.operations.map((one) => one.parameter)).toEqual(["pan", "front"]);
  });
});
