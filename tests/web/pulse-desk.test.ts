// @vitest-environment happy-dom
/** The Pulse desk worked at: cycles, waves and steps, kept pulses, what is tried, and parts that are dealt to places. */
import { useSelection } from "@/session/selection";
import type { Schemas } from "@/api/http";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { delayed, Page } from "./page";

let page: Page;

async function open(role?: string): Promise<void> {
  page = new Page("stereo", role);
  await page.desk("pulse");
}

const pulse = (values: object = {}) => ({ ...page.open.document.pulses.wide, ...values });
const deal = (values: object = {}) => ({ ...page.open.document.deals.low, ...values });

afterEach(() => page.end());

describe("a page that is slow to come", () => {
  it("leaves what has been chosen meanwhile", async () => {
    page = new Page("stereo");
    const library = delayed(() => page.answers["/api/library"]);
    page.gives["/api/library"] = library.answer;
    await page.desk("pulse");
    expect(useSelection().chosen).not.toBe("wide");
    await page.press("Wide");
    library.release();
    await page.until(() => page.text.includes("Cycle"), "the desk is there");
    expect(useSelection().chosen).toBe("wide");
  });
});

describe("a pulse", () => {
  beforeEach(async () => {
    await open();
    await page.press("Wide");
  });

  it("is halved, doubled and flipped by keys, and taken back", async () => {
    await page.key("-");
    expect(page.latest).toMatchObject({ kind: "set-pulse", owner: "wide", period: 1 });
    await page.key("+");
    expect(page.latest).toMatchObject({ period: 4 });
    await page.key("f");
    expect(page.latest).toMatchObject({ flip: true });
    await page.key("z", document.body, { ctrlKey: true });
    expect(page.posted.map((one) => one.path)).toContain("/undo");
  });

  it("is drawn in steps with the pointer, as one change, and by keys", async () => {
    await page.changed("pulses", "wide", pulse({ wave: "steps", steps: [0, 0, 0, 0] }));
    await page.drag(page.named("svg", "Drawn steps"), [90, 20], [260, 580], [270, 590]);
    expect(page.operations).toHaveLength(1);
    const { steps } = page.latest as { steps: number[] };
    expect(steps[0]).toBeGreaterThan(0.8);
    expect(steps[1]).toBeLessThan(-0.8);
    await page.key("End", page.slider("Step 3"));
    expect(page.latest).toMatchObject({ steps: [0, 0, 1, 0] });
    await page.press("Add a step");
    expect((page.latest as { steps: number[] }).steps).toHaveLength(5);
  });

  it("is begun by a feeling, kept by a name, and used elsewhere", async () => {
    page.close();
    page = new Page();
    const kept: Schemas["PresetOut"] = {
      id: "k", kind: "pulse", name: "Below deck", author: "Emil", mine: true, sessions: [], content: { wave: "falling", period: 1 },
    }; // prettier-ignore
    page.gives["/api/presets"] = (body) => (Object.keys(body).length ? kept : [kept]);
    await page.desk("pulse");
    await page.press("Wide");
    const library = page.answers["/api/library"] as Schemas["Library"];
    const [feeling] = library.rhythm.presets;
    await page.press(/^Presets/);
    await page.press(new RegExp(`^${feeling!.title}`));
    expect(page.latest).toMatchObject({ kind: "set-pulse", owner: "wide", on: true, ...feeling!.values });
    await page.type("Name of the preset", "Below deck");
    await page.press("Save");
    expect(page.posted.find((one) => one.path === "/api/presets")?.body).toMatchObject({ kind: "pulse", name: "Below deck" }); // prettier-ignore
    await page.choose("Pulse presets", "Below deck");
    expect(page.latest).toMatchObject({ wave: "falling", period: 1 });
  });

  it("is written out as points, as the server works them out, and taken back", async () => {
    await page.press("Convert to points");
    await page.until(() => page.operations.length > 0, "it is written out");
    expect(page.latest).toEqual((page.answers["/pulse/as-points"] as { operation: object }).operation);
  });

  it("may be of a return instead", async () => {
    await page.choose("Pulse of", "Room");
    await page.press("Add pulse");
    expect(page.latest).toMatchObject({ kind: "set-pulse", owner: "return:room", on: true });
  });

  it("is read by whose accents one asks, and a better start can be tried and taken", async () => {
    const reading = page.answers["/pulse/reading"] as Schemas["ReadingOut"];
    page.gives["/pulse/reading"] = (body) => ({ ...reading, asked: body });
    await page.choose("Accents from", "Low");
    await page.until(
      () =>
        page.posted.some(
          (one) => one.path === "/pulse/reading" && JSON.stringify(one.body).includes('"low"'),
        ),
      "it is read by the other's accents",
    );
    expect(page.operations).toEqual([]);
  });

  it("is heard without by a key as long as it is down, and with a click by another", async () => {
    document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "w", bubbles: true }));
    await page.until(() => usePlayer().bypass !== null, "it is heard without");
    expect(usePlayer().bypass).toMatchObject({ source: "wide", treatment: "pulse" });
    document.body.dispatchEvent(new KeyboardEvent("keyup", { key: "w", bubbles: true }));
    await page.until(() => usePlayer().bypass === null, "it is heard again");
    await page.key("k");
    expect(page.button("Metronome").getAttribute("aria-pressed")).toBe("true");
    expect(page.operations).toEqual([]);
  });
});

describe("a dealt part", () => {
  beforeEach(async () => {
    await open();
    await page.press("Low");
    await page.press("Deal");
    page.gives["/places/arrange"] = (body) => {
      const { places, act } = body as { places: { pan: number }[]; act: string };
      return act === "mirror" ? places.map((one) => ({ ...one, pan: -one.pan })) : [...places, ...places];
    };
  });

  it("has places that are dragged, stepped, arranged and duplicated", async () => {
    const strip = page.named("[role=group]", "Places of the deal");
    const first = strip.querySelector("[data-place='p1']")!;
    await page.drag(first, [48, 13], [200, 13], [360, 13]);
    const { values } = page.latest as { values: { pan: number } };
    expect(page.latest).toMatchObject({ kind: "set-place", source: "low", place: "p1" });
    expect(Math.abs(values.pan)).toBeLessThan(0.1);
    await page.key("ArrowRight", first, { shiftKey: true });
    expect(page.latest).toMatchObject({ values: { pan: -0.9 } });
    await page.press("Mirror");
    await page.until(() => page.latest?.kind === "set-deal", "they are mirrored");
    expect((page.latest!.places as { pan: number }[]).map((one) => one.pan)).toEqual([1, -1]);
    page.gives["/places/arrange"] = (body) => {
      const { places, act, width } = body as { places: { pan: number }[]; act: string; width: number };
      return act === "width"
        ? places.map((one) => ({ ...one, pan: one.pan * width }))
        : [...places, ...places];
    };
    await page.type("Width of all places", "40");
    await page.until(
      () => Math.abs((page.latest!.places as { pan: number }[])[0]!.pan) === 0.4,
      "they are nearer",
    );
    await page.press("Place 2");
    await page.type("Transposition of place 1", "7");
    expect(page.latest).toMatchObject({ kind: "set-place", place: "p1", values: { transpose: 7 } });
    await page.type("Release of slices at place 1", "120");
    expect(page.latest).toMatchObject({ values: { release: 0.12 } });
    await page.press("Duplicate");
    await page.until(() => (page.latest!.places as unknown[]).length === 4, "it is duplicated");
  });

  it("has one place heard alone, by oneself", async () => {
    await page.press("Solo place 1, only for you");
    expect(usePlayer().solo).toEqual(["low.p1"]);
    await page.press("Solo place 1, only for you");
    expect(usePlayer().solo).toEqual([]);
    expect(page.operations).toEqual([]);
  });

  it("is dealt in another order, and played by the voice once it has notes", async () => {
    await page.press("by pitch");
    expect(page.latest).toMatchObject({ kind: "set-deal", source: "low", order: "by-pitch" });
    expect(page.button("Built-in voice").disabled).toBe(true);
    await page.changed("events", "low", { ...page.open.document.events.low, kind: "notes" });
    await page.press("Built-in voice");
    expect(page.latest).toMatchObject({ kind: "set-deal", sound: "voice" });
  });

  it("has onsets put in, moved and taken away by hand", async () => {
    const surface = page.named("[role=application]", /^Events of Low/);
    const items = () => (page.latest as { items: number[][] }).items;
    usePlayer().seek(0.25);
    await page.key("a", surface);
    expect(page.latest).toMatchObject({ kind: "set-events", from: "onsets" });
    expect(items().map((one) => one[0])).toContain(0.25);
    await page.key("ArrowDown", surface);
    await page.key("ArrowRight", surface);
    expect(items().filter((one) => Math.abs((one[0]! * 2) % 1) > 1e-6)).toHaveLength(1);
    await page.key("Delete", surface);
    expect(items()).toHaveLength(7);
  });

  it("takes the notes of a MIDI file, and says what is wrong with another", async () => {
    page.gives["/notes"] = () => "song.mid is not a Standard MIDI File.";
    await page.give("MIDI file", new File(["RIFF"], "song.mid"));
    await page.until(() => page.text.includes("not a Standard MIDI File"), "the sentence is shown");
    expect(page.operations).toEqual([]);
    page.gives["/notes"] = () => ({ name: "Low part", items: [[0, 0.5, 40, 0.7], [1, 0.5, 41, 0.7]] }); // prettier-ignore
    await page.give("MIDI file", new File(["MThd"], "low.mid"));
    await page.until(() => page.text.includes("2 notes of “Low part”"), "the notes are taken");
    expect(page.latest).toMatchObject({ kind: "set-events", source: "low", from: "notes", name: "Low part" });
  });

  it("stands alone on its stretch, and everything is back where one was", async () => {
    usePlayer().seek(1.5);
    await page.press("Isolate");
    await page.until(() => page.text.includes("Low alone"), "it stands alone");
    expect(document.querySelectorAll(".roster .row")).toHaveLength(1);
    await page.key("Escape");
    await page.until(() => !page.text.includes("Low alone"), "all are back");
    expect(usePlayer().playhead).toBe(1.5);
    expect(document.querySelectorAll(".roster .row").length).toBeGreaterThan(2);
  });

  it("is frozen in the background, cannot be changed then, and thaws", async () => {
    let asked = 0;
    const freezing = (status: string) => ({ id: "f", message: "", progress: 0.5, source: "low", status });
    page.gives["/freeze"] = () => freezing("running");
    page.gives["/freezes/f"] = () => freezing((asked += 1) > 1 ? "done" : "running");
    await page.press("Freeze");
    await page.until(() => asked > 1, "it is frozen");
    await page.changed("sources", "low", {
      ...page.open.document.sources.low,
      frozen_asset: "a".repeat(64),
      frozen_fingerprint: "k",
    });
    expect(page.named(".row [aria-label]", "frozen")).toBeTruthy();
    expect(page.button("by pitch").disabled).toBe(true);
    await page.press(/unfreeze/);
    expect(page.latest).toMatchObject({ kind: "freeze-source", source: "low", frozen_asset: "" });
  });

  it("is switched off for everybody", async () => {
    await page.changed("deals", "low", deal({ on: false }));
    expect(page.button("Off").getAttribute("aria-pressed")).toBe("false");
    await page.press("Off");
    expect(page.latest).toMatchObject({ kind: "set-deal", source: "low", on: true });
  });
});

describe("what is tried", () => {
  it("is not a change until it is kept", async () => {
    await open();
    await page.press("Wide");
    expect(useMonitor().comparing).toBe(false);
    await page.key("B", document.body, { shiftKey: true });
    expect(page.operations).toEqual([]);
  });
});
