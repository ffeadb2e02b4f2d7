// @vitest-environment happy-dom
/** The five desks, mounted whole: each asks only for what there is, has no fault, and its controls send what they say. */
import { usePlayer } from "@/audio/player";
import { useChartView } from "@/session/view";
import { Page, type Kind } from "./page";

let page: Page;

async function open(desk: string, kind: Kind = "stereo", role?: string): Promise<void> {
  page = new Page(kind, role);
  await page.desk(desk);
}

afterEach(() => page.end());

describe.each(["stereo", "room"] as const)("in %s", (kind) => {
  it.each([
    ["place", "Room"],
    ["move", "Freehand"],
    ["pulse", "It turns the sides down"],
    ["balance", "Lean of the whole mix, 3 s"],
    ["hand-over", "Export"],
  ])("the %s desk stands whole", async (desk, says) => {
    await open(desk, kind);
    await page.until(() => page.text.includes(says), "the desk is loaded");
    expect(document.querySelector("nav [aria-current=page]")?.textContent?.trim().toLowerCase()).toBe(
      desk.replace("-", " "),
    );
  });

  it("number keys go from desk to desk", async () => {
    await open("place", kind);
    for (const [key, name] of [
      ["2", "Move"],
      ["3", "Pulse"],
      ["4", "Balance"],
      ["5", "Hand over"],
      ["1", "Place"],
    ] as const) {
      await page.key(key);
      expect(document.querySelector("nav [aria-current=page]")?.textContent?.trim()).toBe(name);
    }
  });
});

describe("on a wide page", () => {
  const usual = window.innerWidth;
  beforeEach(() => {
    Object.defineProperty(window, "innerWidth", { configurable: true, value: 2560 });
    localStorage.clear();
  });
  afterEach(() => Object.defineProperty(window, "innerWidth", { configurable: true, value: usual }));
  const columns = (): string => document.querySelector("main")!.getAttribute("style")!;
  const edge = (name: string): Element => document.querySelector(`[role=separator][aria-label^='${name}']`)!;

  it("panels are as wide as they are dragged, and stay so; two presses give the usual width back", async () => {
    await open("move");
    expect(columns()).toContain("--list: 340px");
    await page.drag(edge("Width of the list"), [340, 10], [380, 10], [440, 10]);
    await page.key("ArrowLeft", edge("Width of the details"));
    expect(columns()).toMatch(/--list: 440px;.*--details: 388px/);
    expect(JSON.parse(localStorage.getItem("needle-panels")!)).toEqual({ list: 440, details: 388 });
    edge("Width of the list").dispatchEvent(new MouseEvent("dblclick", { bubbles: true }));
    await page.key("Shift");
    expect(columns()).toContain("--list: 340px");
  });

  it("another desk stands beside, and the lean shows the bars that the chart shows", async () => {
    await open("move");
    await page.choose("Another desk beside it", "+ Balance");
    await page.until(() => page.text.includes("Lean of the whole mix"), "it is there");
    expect(page.text).toContain("Freehand");
    const view = useChartView();
    const lean = document.querySelector(".lean-chart svg")!;
    lean.dispatchEvent(new WheelEvent("wheel", { deltaY: 40, cancelable: true, bubbles: true }));
    const [top, scale] = [view.top, view.scale];
    lean.dispatchEvent(new MouseEvent("click", { clientY: 20, bubbles: true }));
    expect(usePlayer().playhead).toBeCloseTo(top + 20 / scale, 6);
    await page.key("4");
    expect(document.querySelectorAll(".picture")).toHaveLength(1);
  });
});

describe("the roster", () => {
  beforeEach(() => open("place"));

  it("places by keys, and by typing", async () => {
    const place = page.slider("Position of Wide");
    await page.key("ArrowRight", place);
    expect(page.latest).toEqual({ kind: "place-source", source: "wide", pan: 0.01 });
    await page.key("End", place);
    expect(page.latest).toMatchObject({ pan: 1 });
    await page.key("0", place);
    expect(page.latest).toMatchObject({ pan: 0 });
  });

  it("sets levels, mutes for everybody, and solos for oneself alone", async () => {
    await page.type("Level of Wide", "-7.5");
    expect(page.latest).toEqual({ kind: "set-level", source: "wide", level: -7.5 });
    await page.press("Mute Wide for everybody");
    expect(page.latest).toEqual({ kind: "mute-source", source: "wide", muted: true });
    const sent = page.operations.length;
    await page.press("Solo Wide, only you hear it");
    expect(page.button("Solo Wide, only you hear it").getAttribute("aria-pressed")).toBe("true");
    expect(page.operations).toHaveLength(sent);
  });

  it("says what is wrong with a level and keeps what was typed", async () => {
    await page.type("Level of Wide", "loud");
    expect(page.field("Level of Wide").getAttribute("aria-invalid")).toBe("true");
    expect(page.field("Level of Wide").value).toBe("loud");
    expect(page.operations).toEqual([]);
  });

  it("levels, shifts and takes apart a group", async () => {
    await page.type("Level of the group Both", "-3");
    expect(page.latest).toMatchObject({ kind: "set-group", group: "both", level: -3 });
    await page.press("Ungroup Both");
    expect(page.latest).toMatchObject({ kind: "remove-group", group: "both" });
  });

  it("takes back what one did last", async () => {
    await page.key("ArrowRight", page.slider("Position of Wide"));
    page.turns = { undo: { revision: 20, summary: "Wide: R10" }, redo: null };
    await page.key("ArrowRight", page.slider("Position of Wide"));
    await page.until(
      () => page.named("button", "Undo: Wide: R10") !== null,
      "the button says what it takes back",
    );
    expect(page.named("button", "Redo")).toHaveProperty("disabled", true);
    await page.key("z", document.body, { ctrlKey: true });
    expect(page.posted.at(-1)?.path).toBe("/undo");
    await page.key("z", document.body, { ctrlKey: true, shiftKey: true });
    expect(page.posted.at(-1)?.path).toBe("/redo");
  });

  it("shows what a colleague moves while they hold it, and leaves it to them", async () => {
    await page.press("Wide");
    const olga = {
      tab: "t2",
      id: 2,
      name: "Olga",
      role: "owner",
      colour: 0,
      chosen: null,
      playhead: 0,
      away: false,
    };
    await page.hear({
      type: "welcome",
      you: { ...olga, tab: "t1", id: 1, name: "Emil", role: "engineer" },
      people: [],
    });
    await page.hear({ type: "presence", person: olga });
    await page.hear({ type: "preview", control: "wide.pan", value: 0.8, tab: "t2", person: olga });
    expect(page.slider("Position of Wide").getAttribute("aria-valuetext")).toBe("R80");
    expect(page.slider("Position of Wide").getAttribute("aria-disabled")).toBe("true");
    expect(page.text).toContain("Olga is moving it.");
    await page.key("ArrowRight", page.slider("Position of Wide"));
    expect(page.operations).toEqual([]);
  });
});

describe("the Place desk", () => {
  beforeEach(async () => {
    await open("place");
    await page.press("Wide");
  });

  it("places at the ends and the middle in one press", async () => {
    await page.press("R100");
    expect(page.latest).toEqual({ kind: "place-source", source: "wide", pan: 1 });
    await page.type("Place now", "L30");
    expect(page.latest).toMatchObject({ pan: -0.3 });
  });

  it("names what each way of panning throws away before it is chosen", async () => {
    const ways = () => [...document.querySelectorAll("[role=radio]")].map((one) => one.textContent ?? "");
    await page.until(() => ways().every((one) => !one.includes("…")), "every way says what it changes");
    expect(page.button(/^balance/).getAttribute("aria-checked")).toBe("true");
    await page.press(/^sides/);
    expect(page.latest).toMatchObject({ kind: "place-source", source: "wide", mode: "sides" });
  });

  it("sends to a return with a level and a place of its own", async () => {
    await page.type("Send of Wide to Room", "-9");
    expect(page.latest).toMatchObject({ kind: "set-send", source: "wide", to: "room", level: -9 });
  });

  it("shows the return as a field of its own", async () => {
    document.querySelector<HTMLElement>("[aria-label='View'] button:nth-of-type(2)")!.click();
    await page.key("Escape");
    expect(page.text).toContain("Room");
  });

  it("moves several at once", async () => {
    const low = page.button("Low");
    low.dispatchEvent(new MouseEvent("click", { bubbles: true, ctrlKey: true }));
    await page.key("Shift");
    expect(page.text).toContain("2 sources");
    await page.press("R10");
    expect(page.latest).toMatchObject({ kind: "shift-values", parameter: "pan", by: 0.1 });
    expect(page.latest?.sources).toEqual(expect.arrayContaining(["low", "wide"]));
  });

  it("a mark of the field goes by arrow keys, across and up", async () => {
    const mark = document.querySelector<HTMLElement>("[data-mark=wide]")!;
    await page.key("ArrowLeft", mark);
    expect(page.latest).toMatchObject({ source: "wide", pan: -0.01 });
    await page.key("ArrowUp", mark);
    expect(page.latest).toMatchObject({ kind: "set-level", source: "wide" });
  });
});

describe("the room", () => {
  beforeEach(async () => {
    await open("place", "room");
    await page.press("High");
  });

  it("moves a source by typing where it stands", async () => {
    await page.type("Front–back now", "-50");
    expect(page.latest).toMatchObject({ kind: "place-source", source: "high", front: -0.5 });
    await page.press("Ls");
    expect(page.latest).toMatchObject({ kind: "place-source", source: "high", pan: -1, front: -1 });
  });

  it("keeps a source out of a group of loudspeakers", async () => {
    await page.press("Exclude sides");
    expect(page.latest).toMatchObject({ kind: "set-route", source: "high" });
  });

  it("has the plan from above and from the side", async () => {
    await page.press("Side");
    expect(page.button("Side").getAttribute("aria-pressed")).toBe("true");
  });

  it("turns the whole room", async () => {
    await page.type("Rotation of the whole room", "45");
    expect(page.latest).toMatchObject({ kind: "set-room", rotation: 45 });
  });
});

describe("the Move desk", () => {
  beforeEach(async () => {
    await open("move");
    await page.press("Low");
  });

  it("edits points in the table as on the chart", async () => {
    await page.type("Place of point 2", "30R");
    expect(page.latest).toMatchObject({
      kind: "move-point",
      owner: "low",
      parameter: "pan",
      after: { value: 0.3 },
    });
    await page.choose("Shape after point 1", "hold");
    expect(page.latest).toMatchObject({ after: { shape: "hold" } });
    await page.type("Place of point 1", "far left");
    expect(page.field("Place of point 1").getAttribute("aria-invalid")).toBe("true");
  });

  it("deletes a point by its key and by its button", async () => {
    await page.press("Delete point 3");
    expect(page.latest?.kind).toBe("move-point");
    const point = document.querySelector<HTMLElement>("[data-point='0']")!;
    point.focus();
    await page.key("Delete", point);
    expect(page.operations).toHaveLength(2);
  });

  it("moves a chosen point by arrow keys", async () => {
    const point = document.querySelector<HTMLElement>("[data-point='1']")!;
    point.focus();
    await page.key("ArrowLeft", point, { shiftKey: true });
    expect(page.latest).toMatchObject({ kind: "move-point", after: { value: 0.4 } });
  });

  it("follows another parameter of the source", async () => {
    await page.choose("Parameter", "Level");
    expect(page.text).toContain("Level");
    expect(document.querySelectorAll("[data-point]")).toHaveLength(0);
  });

  it("picks a stretch and offers what can be made of it", async () => {
    await page.press("Select range");
    expect(page.text).toContain("Range");
  });

  it("takes the tools by their buttons", async () => {
    for (const tool of ["Range", "Freehand", "Line", "Steps", "Points"]) {
      await page.press(tool);
      expect(page.button(tool).getAttribute("aria-pressed")).toBe("true");
    }
  });
});

describe("the Pulse desk", () => {
  beforeEach(async () => {
    await open("pulse");
    await page.press("Wide");
  });

  it("halves, doubles, flips and chooses waves", async () => {
    await page.press("÷ 2");
    expect(page.latest).toMatchObject({ kind: "set-pulse", owner: "wide", period: 1 });
    await page.press("sine");
    expect(page.latest).toMatchObject({ wave: "sine" });
    await page.press("Flip off");
    expect(page.latest).toMatchObject({ flip: true });
    await page.type("Depth", "50");
    expect(page.latest).toMatchObject({ depth: 0.5 });
  });

  it("says on which beats a side falls silent", async () => {
    const { sentence } = page.answers["/pulse/reading"] as { sentence: string };
    expect(sentence.length).toBeGreaterThan(10);
    await page.until(() => page.text.includes(sentence), "the reading is told");
  });

  it("takes the pulse away", async () => {
    await page.press("Remove pulse");
    expect(page.operations).toHaveLength(1);
  });

  it("shows a dealt part with its places", async () => {
    await page.press("Low");
    await page.press("Deal");
    expect(page.text).toContain("2 places");
  });
});

describe("the Balance desk", () => {
  beforeEach(() => open("balance"));

  it("listens in mono by oneself", async () => {
    await page.press("Mono");
    expect(page.button("Mono").getAttribute("aria-pressed")).toBe("true");
    expect(page.operations).toEqual([]);
  });

  it("takes the tolerance as one's own", async () => {
    await page.type("Tolerance", "2");
    expect(page.operations).toEqual([]);
  });

  it("orders a report", async () => {
    await page.press("Balance report…");
    expect(page.dialog?.textContent).toContain("report");
    await page.key("Escape", page.dialog);
    await page.until(() => !page.dialog, "the dialog goes");
  });
});

describe("the Hand over desk", () => {
  beforeEach(() => open("hand-over"));

  it("orders what is ticked, as it is chosen", async () => {
    await page.choose("Format", "WAV, 32-bit float: exactly what is heard");
    page.field("mono").click();
    await page.press("Export");
    const order = page.posted.find((one) => one.path === "/deliveries")!;
    expect(order.body).toMatchObject({ revision: page.open.revision, format: "wav-float" });
    expect(JSON.stringify(order.body)).toContain("mono");
  });

  it("names a version", async () => {
    await page.type("Name of the version", "First mix");
    await page.press("Save");
    expect(page.posted.find((one) => one.path === "/versions")?.body).toMatchObject({ name: "First mix" });
  });
});

describe("a listener", () => {
  it.each(["place", "move", "pulse", "balance", "hand-over"])(
    "changes nothing at the %s desk",
    async (desk) => {
      await open(desk, "stereo", "listener");
      expect(page.text).toContain("You are a listener");
      expect(page.slider("Position of Wide").getAttribute("aria-disabled")).toBe("true");
      await page.key("ArrowRight", page.slider("Position of Wide"));
      expect(page.button("Mute Wide for everybody").disabled).toBe(true);
      for (const button of document.querySelectorAll<HTMLButtonElement>("main button:not(:disabled)")) {
        if (button.isConnected) button.click();
        await page.key("Escape");
      }
      expect(page.operations).toEqual([]);
    },
  );
});
