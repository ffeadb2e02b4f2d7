// @vitest-environment happy-dom
/** The Balance desk worked at: what leans and why, ways of listening, pairs, counterweights and reports. */
import type { Schemas } from "@/api/http";
import { useMonitor } from "@/audio/monitor";
import { usePeakHold } from "@/audio/peakHold";
import { usePlayer } from "@/audio/player";
import { Page } from "./page";

let page: Page;

async function open(role?: string): Promise<void> {
  page = new Page("stereo", role);
  await page.desk("balance");
  await page.until(() => !!document.querySelector("[data-cause]"), "the causes are found");
}

afterEach(() => page.end());

const stretches = () => document.querySelectorAll("[aria-label='Leans over tolerance'] li");

describe("what leans", () => {
  beforeEach(() => open());

  it("is listed with what gives it, the strongest first", () => {
    const { overview } = page.answers["/balance"] as Schemas["BalanceOut"];
    expect(overview!.stretches.length).toBeGreaterThan(0);
    expect(stretches()).toHaveLength(overview!.stretches.length);
    const { causes } = page.answers["/causes"] as Schemas["CausesOut"];
    const first = document.querySelector<HTMLElement>("[data-cause]")!;
    expect(first.dataset.cause).toBe(causes[0]!.id);
  });

  it("is asked for anew with one's own tolerance", async () => {
    const asked: string[] = [];
    const known = page.answers["/balance"] as Schemas["BalanceOut"];
    page.gives["/balance"] = (_, path) => {
      asked.push(path);
      return { ...known, overview: { ...known.overview, stretches: [] } };
    };
    await page.type("Tolerance", "6");
    await page.until(() => stretches().length === 0, "nothing leans any more");
    expect(asked.at(-1)).toContain("tolerance_db=6");
    expect(page.text).toContain("The mix stays within the tolerance");
    expect(page.operations).toEqual([]);
  });

  it("is heard cause by cause with one key, by oneself", async () => {
    const { causes } = page.answers["/causes"] as Schemas["CausesOut"];
    const ids = causes.filter((one) => one.kind === "source").map((one) => one.id);
    await page.key("c");
    expect(usePlayer().solo).toEqual([ids[0]]);
    await page.key("c");
    expect(usePlayer().solo).toEqual([ids[1]]);
    expect(page.operations).toEqual([]);
  });
});

describe("listening", () => {
  beforeEach(() => open());

  it("is in mono as long as a key is down, or until it is pressed again", async () => {
    document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "m", bubbles: true }));
    await page.until(() => usePlayer().monitor === "mono", "it is mono");
    document.body.dispatchEvent(new KeyboardEvent("keyup", { key: "m", bubbles: true }));
    await page.until(() => usePlayer().monitor === "stereo", "it is stereo again");
    await page.key("M", document.body, { shiftKey: true });
    expect(usePlayer().monitor).toBe("mono");
    expect(page.operations).toEqual([]);
  });

  it.each([["Left", "left"], ["Right", "right"], ["Difference", "difference"], ["Mono", "mono"]])("%s is for oneself alone", async (name, way) => {
    await page.press(name);
    expect(usePlayer().monitor).toBe(way);
    expect(page.button(name).getAttribute("aria-pressed")).toBe("true");
    await page.press("Stereo");
    expect(usePlayer().monitor).toBe("stereo");
    expect(page.operations).toEqual([]);
  }); // prettier-ignore
});

describe("a pair", () => {
  it("is compared, and evened as one change", async () => {
    await open();
    await page.press("Low");
    await page.besides("High");
    await page.until(() => page.text.includes("louder here"), "they are compared");
    await page.press(/^(Low|High) −/);
    expect(page.latest).toMatchObject({ kind: "shift-values", parameter: "level" });
    expect((page.latest as { by: number }).by).toBeLessThan(0);
  });
});

describe("a counterweight", () => {
  const found: Schemas["CounterweightFound"] = {
    after: 0.4, before: 2.6, changes: [{ source: "low", level: 0, place: -0.2 }, { source: "wide", level: -1, place: 0 }],
    long: [], reached: true, stretches: [], trim: 0.3,
  }; // prettier-ignore

  beforeEach(async () => {
    await open();
    page.gives["/counterweight"] = () => ({ counterweight: found, done: 1, revision: page.revision });
    await page.press("Calculate");
    await page.until(() => page.text.includes("becomes"), "it is worked out");
  });

  it("is heard as B by oneself, and left", async () => {
    await page.press(/Compare B/);
    expect(useMonitor().comparing).toBe(true);
    expect(page.operations).toEqual([]);
    await page.press("Dismiss");
    expect(useMonitor().comparing).toBe(false);
    expect(page.text).not.toContain("becomes");
  });

  it("is applied as one change", async () => {
    await page.press(/^Apply/);
    expect(page.operations).toHaveLength(1);
    expect(page.latest).toMatchObject({
      kind: "batch",
      operations: [
        { kind: "shift-values", sources: ["low"], parameter: "pan", by: -0.2 },
        { kind: "shift-values", sources: ["wide"], parameter: "level", by: -1 },
      ],
    });
  });
});

describe("a report", () => {
  const made: Schemas["ReportOut"] = {
    id: "r", title: "Tones, First", revision: 13, start: 0, end: 2, status: "done", progress: 1, messages: [],
  }; // prettier-ignore

  it("is ordered of a passage, and opened when it is there", async () => {
    page = new Page();
    const reports: unknown[] = [];
    page.gives["/reports"] = (body) => {
      if (Object.keys(body).length) reports.push(made);
      return Object.keys(body).length ? made : reports;
    };
    page.gives["/reports/r"] = () => made;
    await page.desk("balance");
    await page.press("Balance report…");
    await page.choose("Of", "First");
    await page.press("Create report");
    const order = page.posted.find((one) => one.path.endsWith("/reports"))!;
    expect(order.body).toMatchObject({ revision: page.open.revision, start: 0, end: 2 });
    await page.until(() => !!page.dialog?.querySelector("a[href*='/reports/r/']"), "it can be opened");
  });

  it("is read and not made by a listener", async () => {
    await open("listener");
    await page.press("Balance report…");
    expect(page.dialog).toBeDefined();
    expect(() => page.button("Create report")).toThrow();
  });
});

describe("what was over the ceiling", () => {
  it("stands with its time until it is cleared by a press", async () => {
    await open();
    const peaks = usePeakHold();
    peaks.overs = { left: { first: 2, last: 4, highest: 1.24 }, right: null };
    await page.until(() => !!document.querySelector(".foot .over"), "it is told");
    const told = document.querySelector<HTMLElement>(".foot .over")!;
    expect(told.getAttribute("aria-label")).toContain("up to +1.2 dBTP");
    await page.press(/Over the ceiling/);
    expect(peaks.overs).toEqual({ left: null, right: null });
  });
});
