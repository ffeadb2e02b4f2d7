// @vitest-environment happy-dom
/** The Move desk worked at: points by hand and keys, stretches looked at before they are made, takes, lines and passages. */
import type { Schemas } from "@/api/http";
import { usePlayer } from "@/audio/player";
import { useMoves } from "@/session/moves";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { Page } from "./page";

let page: Page;
const chart = (): Element => document.querySelector(".chart svg")!;
/** Where a share of the field from the left, and a time (s), are on the chart as it is opened. */
const spot = (share: number, at: number): [number, number] => [48 + share * (720 - 72), 16 + at * 18.75];

const WRITE: Schemas["Write"] = {
  owner: "low", parameter: "pan", start: 1, end: 2, points: [{ t: 1.5, value: -0.25, shape: "ease", tension: 0 }],
} as never; // prettier-ignore
const draft = (summary = "Low: mirrored") => ({ id: "d1", summary, changed: 1, writes: [WRITE] });

async function open(chosen = "Low"): Promise<void> {
  page = new Page();
  await page.desk("move");
  await page.press(chosen);
}

async function pick(): Promise<void> {
  await page.press("Range");
  await page.drag(chart(), spot(0.5, 0.5), spot(0.5, 1.5), spot(0.5, 3));
}

afterEach(() => page.end());

describe("points", () => {
  beforeEach(() => open("Wide"));

  it("are put on the chart by a double press, where it is pressed", async () => {
    const [clientX, clientY] = spot(1, 2);
    chart().dispatchEvent(new MouseEvent("dblclick", { bubbles: true, clientX, clientY }));
    await page.key("Shift");
    const write = page.latest as { points: { t: number; value: number }[]; kind: string };
    expect(write.kind).toBe("write-points");
    expect(write.points[0]!.value).toBeCloseTo(1, 2);
    expect(document.querySelectorAll("[data-point]")).toHaveLength(0);
  });

  it("go to the chosen source, whatever other line lies under two presses; what is hidden is not hit", async () => {
    const at = Number(page.slider("Position of High").getAttribute("aria-valuenow")) / 100;
    const [clientX, clientY] = spot((at + 1) / 2, 0.3);
    const press = (type: string, detail: number): boolean =>
      chart().dispatchEvent(new PointerEvent(type, { bubbles: true, clientX, clientY, detail, button: 0 }));
    const chosen = (): string => page.slider("Position of High").closest("[data-source]")!.className;
    press("pointerdown", 1);
    press("pointerup", 1);
    await page.key("Shift");
    expect(chosen()).toContain("chosen");
    await page.press("Wide");
    press("pointerdown", 1);
    press("pointerup", 1);
    press("pointerdown", 2);
    press("pointerup", 2);
    chart().dispatchEvent(new MouseEvent("dblclick", { bubbles: true, clientX, clientY }));
    await page.key("Shift");
    expect(page.latest).toMatchObject({ kind: "write-points", owner: "wide" });
    await page.choose("Lines of other sources", "Others: hidden");
    press("pointerdown", 1);
    press("pointerup", 1);
    await page.key("Shift");
    expect(chosen()).not.toContain("chosen");
  });

  it("are dragged elsewhere, and only that point is told to move", async () => {
    await page.press("Low");
    const dot =
      document.querySelector("[data-point='1'] .dot") ?? document.querySelector("[data-point='1']")!;
    await page.drag(dot, spot(0.75, 2), spot(0.6, 2.5), spot(0.5, 3));
    expect(page.operations).toHaveLength(1);
    const operation = page.latest as { kind: string; after: { value: number; t: number } };
    expect(operation.kind).toBe("move-point");
    expect(operation.after.value).toBeCloseTo(0, 1);
  });

  it("go later by keys, by the grid", async () => {
    await page.press("Low");
    const point = document.querySelector<HTMLElement>("[data-point='1']")!;
    point.focus();
    await page.key("ArrowDown", point);
    const operation = page.latest as { after: { t: number } };
    expect(operation.after.t).toBeGreaterThan(2);
  });

  it("are picked together in a frame, and moved, nudged, reshaped and deleted as one", async () => {
    await page.press("Low");
    const dots = () => [...document.querySelectorAll<HTMLElement>("[data-point]")];
    const lane = (points: object[]) => ({
      id: "low/pan",
      owner: "low",
      parameter: "pan",
      off: false,
      points,
    });
    const made = () => page.latest as { kind: string; start: number; end: number; points: { t: number; value: number; shape: string }[] }; // prettier-ignore
    await page.drag(chart(), spot(0.1, 1), spot(0.5, 3), spot(0.98, 4.4));
    expect(dots().map((one) => one.getAttribute("aria-pressed"))).toEqual(["false", "true", "true"]);
    expect(page.text).toContain("2 selected");
    await page.key("ArrowLeft", dots()[1]);
    expect(made()).toMatchObject({ kind: "write-points", start: 2, end: 4 });
    expect(made().points.map((one) => [one.t, one.value])).toEqual([[2, 0.49], [4, -0.01]]); // prettier-ignore
    await page.changed("lanes", "low/pan", lane([page.open.document.lanes["low/pan"]!.points[0]!, ...made().points])); // prettier-ignore
    expect(page.text).toContain("2 selected");
    await page.key("s", dots()[2]);
    expect(new Set(made().points.map((one) => one.shape)).size).toBe(1);
    await page.key("Escape");
    expect(page.text).not.toContain("selected");
    for (const dot of [dots()[0]!, dots()[2]!])
      dot.dispatchEvent(new PointerEvent("pointerdown", { bubbles: true, button: 0, ctrlKey: true }));
    await page.key("Delete", dots()[0]);
    expect(made().points.map((one) => one.t)).toEqual([2]);
    expect(page.operations.every((one) => (one as { kind: string }).kind === "write-points")).toBe(true);
  });

  it("lie on lines of both sides that are named left and right", async () => {
    const named = () => [...document.querySelectorAll(".side text")].map((one) => one.textContent);
    expect(named()).toEqual([]);
    await page.changed("sources", "wide", { ...page.open.document.sources.wide, mode: "sides" });
    await page.press("Wide");
    expect(new Set(named())).toEqual(new Set(["L", "R"]));
    expect(document.querySelector(".side.shown")!.textContent).toContain("L");
    await page.choose("Parameter", "Right side");
    expect(document.querySelector(".side.shown")!.textContent).toContain("R");
  });

  it("snap to bars, and steps to left, centre and right", async () => {
    await page.choose("Snap to", "bar");
    const [clientX, clientY] = spot(0.9, 1.2);
    chart().dispatchEvent(new MouseEvent("dblclick", { bubbles: true, clientX, clientY }));
    await page.key("Shift");
    const bars = useSession().grid.bars.map((bar) => bar.times[0]);
    expect(bars).toContain((page.latest as { points: { t: number }[] }).points[0]!.t);
    page.gives["/moves/edit"] = () => draft();
    await page.press("L·C·R");
    await page.press("Steps");
    await page.drag(chart(), spot(0.3, 0.2), spot(0.7, 1.9), spot(0.8, 2.1));
    const asked = page.posted.filter((one) => one.path === "/moves/edit").at(-1)!;
    const { samples } = (asked.body as { edit: { samples: [number, number][] } }).edit;
    expect(samples.every(([, value]) => [-1, 0, 1].includes(value))).toBe(true);
    expect(samples.every(([at]) => bars.includes(at))).toBe(true);
    await page.press("L·C·R");
  });

  it("of a level have a scale of their own, and are cleared at once", async () => {
    await page.changed("lanes", "wide/level", {
      id: "wide/level", owner: "wide", parameter: "level", off: false,
      points: [{ t: 1, value: 12, shape: "straight", tension: 0, shape_start: 0, shape_end: 1 }],
    }); // prettier-ignore
    await page.choose("Parameter", "Level · 1");
    expect(page.field("Level of point 1").value).toContain("12");
    await page.press("Clear all");
    expect(page.latest).toMatchObject({ kind: "write-points", parameter: "level", points: [] });
  });
});

describe("a part with a fault", () => {
  it("is not shown, and takes nothing else with it", async () => {
    await open();
    usePlayer().seek(1.5);
    usePlayer().soloThese(["low"]);
    // A line without its points is something that cannot be: the panel and the desk cannot draw it.
    const said = vi.spyOn(console, "error").mockImplementation(() => undefined);
    await page.changed("lanes", "low/pan", { ...page.open.document.lanes["low/pan"], points: [{ t: 0 }, null] as never }); // prettier-ignore
    await page.until(() => page.text.includes("has a fault and is not shown"), "it is said");
    expect(page.text).toContain("High");
    expect([usePlayer().playhead, usePlayer().solo]).toEqual([1.5, ["low"]]);
    await page.press("High");
    expect(page.text).not.toContain("This panel has a fault");
    await page.changed("lanes", "low/pan", { ...page.open.document.lanes["low/pan"], points: [] });
    await page.press("Show it again");
    expect(page.text).not.toContain("has a fault");
    expect(page.faults.splice(0)).not.toEqual([]);
    said.mockRestore();
  });

  it("is none where the line that is shown has fewer points than the one before", async () => {
    await open();
    await page.key("ArrowLeft", document.querySelector("[data-point='2']")!);
    document.querySelector<HTMLElement>("tbody tr:last-child")!.click();
    await page.choose("Parameter", "Level");
    expect(page.text).toContain("Points");
    expect(page.text).not.toContain("has a fault");
  });
});

describe("a stretch", () => {
  beforeEach(async () => {
    await open();
    await pick();
    page.gives["/moves/edit"] = () => draft();
  });

  it("is looked at, heard by oneself as B, and made as one change", async () => {
    await page.press("Mirror");
    await page.until(() => page.text.includes("Apply"), "it is looked at");
    expect(page.operations).toEqual([]);
    const asked = page.posted.find((one) => one.path === "/moves/edit")!;
    expect(asked.body).toMatchObject({
      edit: { kind: "mirror" },
      lanes: [{ owner: "low", parameter: "pan" }],
    });
    await page.key("B", document.body, { shiftKey: true });
    expect(useMonitor().comparing).toBe(true);
    expect(page.operations).toEqual([]);
    await page.key("Enter");
    expect(page.latest).toMatchObject({ kind: "write-points", owner: "low", start: 1, end: 2 });
  });

  it("is dragged by its line with the Points tool: along time, and stays picked there", async () => {
    await page.press("Points");
    const lane = { owner: "low", parameter: "pan" } as const;
    const value = useSession().laneValueAt(lane, 2);
    await page.drag(chart(), spot((value + 1) / 2, 2), spot((value + 1) / 2, 2.6), spot((value + 1) / 2, 3));
    await page.until(() => page.operations.length > 0, "it is made");
    const asked = page.posted.filter((one) => one.path === "/moves/edit").at(-1)!.body;
    expect(asked.edit).toMatchObject({ kind: "move", by: 1 });
    expect(useMoves().span!.start).toBeCloseTo((asked.start as number) + 1, 6);
  });

  it("is swept with crossings as long as one says, and stays where it was led", async () => {
    await page.press("Sweep");
    const asked = () => page.posted.filter((one) => one.path === "/moves/edit").at(-1)!.body;
    await page.until(() => asked().stay === true, "it stays");
    const { start, end } = useMoves().span!;
    const beats = useSession().grid.quarterAt(end) - useSession().grid.quarterAt(start);
    await page.type("Length of each crossing", "1");
    await page.until(
      () => (asked().edit as { crossings: number }).crossings === Math.round(beats),
      "as many",
    );
    await page.press("Constant");
    await page.until(() => asked().stay === false, "another edit leads back");
  });

  it("is left as it was by Escape", async () => {
    await page.press("Mirror");
    await page.until(() => page.text.includes("Apply"), "it is looked at");
    await page.press("Cancel");
    expect(page.text).not.toContain("Cancel");
    expect(page.operations).toEqual([]);
  });

  it("says what is wrong with an edit", async () => {
    page.gives["/moves/edit"] = () => "A stretch of nothing cannot be mirrored.";
    await page.press("Mirror");
    await page.until(() => page.text.includes("cannot be mirrored"), "the sentence is shown");
    expect(page.operations).toEqual([]);
  });

  it("is copied and put down elsewhere, mirrored, only on the places that stay ticked", async () => {
    page.gives["/moves/clip"] = () => ({ start: 0.5, seconds: 2.5, lanes: { pan: [] } });
    page.gives["/moves/places"] = (_, path) =>
      path.includes("every=4")
        ? [0, 1, 2, 3, 4].map((at) => ({ at, why: "bar", alike: 1 }))
        : [1, 2, 3].map((at) => ({ at, why: "bar", alike: 1 }));
    page.gives["/moves/paste"] = () => draft("Low: pasted");
    await page.press("Copy");
    await page.press("Paste…");
    await page.choose("Where to paste", "every … bars");
    await page.type("Number of bars", "12");
    const places = () => [
      ...document.querySelectorAll<HTMLInputElement>("[aria-label='Positions found'] input"),
    ];
    await page.until(() => places().length === 3, "the places are found");
    places()[2]!.click();
    page.field("mirrored").click();
    await page.until(() => {
      const last = page.posted.filter((one) => one.path === "/moves/paste").at(-1);
      return last?.body.mirrored === true && (last.body.targets as unknown[]).length === 2;
    }, "two places are looked at, mirrored");
    await page.until(() => page.text.includes("Apply"), "it can be applied");
    await page.press("Apply");
    expect(page.latest).toMatchObject({ kind: "write-points", owner: "low" });
  });
});

describe("what was copied", () => {
  const pasted = () => page.posted.filter((one) => one.path === "/moves/paste").at(-1)?.body;

  beforeEach(async () => {
    await open();
    await pick();
    page.gives["/moves/clip"] = () => ({ start: 0.5, seconds: 2.5, lanes: { pan: [] } });
    page.gives["/moves/paste"] = () => draft("Low: pasted");
    await page.press("Copy");
    await page.key("Escape");
  });

  it("is put down by its keys without a range, mirrored if wished, and made by Enter from wherever one is", async () => {
    await page.key("v", document.body, { ctrlKey: true });
    await page.until(() => !!pasted(), "it is looked at");
    expect(pasted()).toMatchObject({ targets: [{ owner: "low", at: 0 }], mirrored: false });
    page.field("mirrored").click();
    await page.until(() => pasted()!.mirrored === true && page.text.includes("Apply"), "mirrored");
    await page.key("Enter", page.field("mirrored"));
    expect(page.latest).toMatchObject({ kind: "write-points", owner: "low" });
    expect(page.text).not.toContain("As many beats");
  });

  it("goes to the range that is picked meanwhile", async () => {
    await page.press("Range");
    await page.drag(chart(), spot(0.5, 1.5), spot(0.5, 2), spot(0.5, 3));
    await page.key("v", document.body, { ctrlKey: true });
    await page.until(() => (pasted()?.targets as { at: number }[])?.[0]!.at > 1, "at the range");
  });

  it("goes to the line in view, and asks where that is of another kind", async () => {
    await page.choose("Parameter", "Level");
    await page.key("v", document.body, { ctrlKey: true });
    expect(page.text).toContain("Left–right was copied, Level is shown");
    expect(pasted()).toBeUndefined();
    await page.choose("Line it goes to", "Left–right, as copied");
    await page.until(() => !!pasted(), "it is looked at where it came from");
    expect(pasted()!.onto).toBeUndefined();
  });

  it("goes to another line of its kind without being asked", async () => {
    await page.changed("sources", "wide", { ...page.open.document.sources.wide, mode: "sides" });
    await page.press("Wide");
    await page.choose("Parameter", "Right side");
    await page.key("v", document.body, { ctrlKey: true });
    await page.until(() => !!pasted(), "it is looked at");
    expect(pasted()).toMatchObject({ targets: [{ owner: "wide" }], onto: { pan: "pan_right" } });
  });
});

describe("a line", () => {
  beforeEach(() => open());

  it("is switched off and followed again", async () => {
    await page.press("On");
    expect(page.latest).toEqual({ kind: "switch-lane", owner: "low", parameter: "pan", on: false });
    await page.changed("lanes", "low/pan", { ...page.open.document.lanes["low/pan"], off: true });
    await page.press("Off");
    expect(page.latest).toEqual({ kind: "switch-lane", owner: "low", parameter: "pan", on: true });
  });

  it("is made static where the playhead stands", async () => {
    await page.press(/^Compare, fixed value/);
    await page.press("Set fixed value");
    expect(page.latest).toEqual({ kind: "set-fixed-value", owner: "low", parameter: "pan", at: 0 });
  });

  it("is heard against none of it, by oneself", async () => {
    await page.press(/^Compare, fixed value/);
    await page.choose("Compare with", [...page.field("Compare with").querySelectorAll("option")].find((one) => one.value === "none")!.textContent.trim()); // prettier-ignore
    await page.key("B", document.body, { shiftKey: true });
    expect(useMonitor().comparing).toBe(true);
    expect(page.operations).toEqual([]);
  });
});

describe("a take", () => {
  const take = {
    id: "t", author: "Emil", created_at: "2026-01-01T12:00:00Z", start: 0, end: 2, mode: "touch", summary: "Low: place, bar 1", writes: [WRITE], mine: true,
  }; // prettier-ignore

  it("is kept among the takes, becomes the line when it is kept, and is dropped without a trace", async () => {
    page = new Page();
    page.answers["/moves/takes"] = [take];
    await page.desk("move");
    await page.press("Low");
    await page.press(/^Takes/);
    document.querySelector<HTMLElement>(".take")!.click();
    await page.until(() => !!document.querySelector("[aria-label='Recorded take']"), "the take is looked at");
    await page.key("Backspace");
    await page.until(() => !document.querySelector("[aria-label='Recorded take']"), "it is dropped");
    expect(page.operations).toEqual([]);
    document.querySelector<HTMLElement>(".take")!.click();
    await page.until(() => !!document.querySelector("[aria-label='Recorded take']"), "the take is looked at");
    await page.press(/^Keep/);
    expect(page.latest).toMatchObject({ kind: "write-points", owner: "low", start: 1, end: 2 });
  });
});

describe("a passage", () => {
  beforeEach(() => open());

  it("is drawn on the margin, named, and given other bars", async () => {
    await page.drag(chart(), [34, 16 + 0.1 * 18.75], [34, 16 + 18.75], [34, 16 + 2.1 * 18.75]);
    const added = page.latest as { kind: string; id: string; start: number; end: number };
    expect(added.kind).toBe("add-passage");
    expect(added.end).toBeGreaterThan(added.start);
    await page.changed("passages", added.id, {
      id: added.id,
      name: "New",
      start: added.start,
      end: added.end,
    });
    await page.type("Name of the passage", "Fog");
    expect(page.operations).toContainEqual({ kind: "set-passage", id: added.id, name: "Fog" });
  });

  it("in which the playhead stands is gone round", async () => {
    await page.key("r");
    expect(page.field(/^Loop, only/).value).toBe("first");
    expect(page.operations).toEqual([]);
  });
});
