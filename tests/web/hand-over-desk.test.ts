// @vitest-environment happy-dom
/** The Hand over desk worked at: what is ordered and made, what a colleague sees of it, and moves that land from a file. */
import type { Schemas } from "@/api/http";
import { delayed, Page } from "./page";

let page: Page;

const delivery = (values: Partial<Schemas["DeliveryOut"]> = {}): Schemas["DeliveryOut"] => ({
  id: "d", author: "Olga", doing: { code: "delivery.moves", parameters: {}, text: "Moves" }, files: [], created_at: "2026-01-01T12:00:00Z", messages: [], notes: [],
  order: { format: "wav-24", mix: true, folds: [], stems: "none", moves: [] } as never,
  progress: 0.4, revision: 13, seconds: 4, start: 0, status: "running", ...values,
}); // prettier-ignore

async function open(role?: string, made: Schemas["DeliveryOut"][] = []): Promise<void> {
  page = new Page("stereo", role);
  page.answers["/deliveries"] = made;
  await page.desk("hand-over");
}

afterEach(() => page.end());

describe("an order", () => {
  it("says what is wrong with a name while it is typed", async () => {
    await open();
    page.gives["/deliveries/name"] = () => "There is no word “{song}”.";
    await page.type("File names", "{session} {song}");
    await page.until(() => page.text.includes("no word “{song}”"), "the sentence is shown");
  });

  it("waits for what was changed a moment ago", async () => {
    await open();
    let change = "";
    const mute = delayed(() => ({ revision: page.revised(change), notice: null, turns: page.turns }));
    page.gives["/operations"] = (body) => {
      change = String(body.client_id);
      return mute.answer();
    };
    page.gives["/deliveries"] = (body) => (Object.keys(body).length ? delivery() : []);
    const ordered = () => page.posted.filter((one) => one.path.endsWith("/deliveries"));
    await page.press("Mute Low for everybody");
    await page.press("Export");
    expect(page.button("Export").disabled).toBe(true);
    expect(ordered()).toEqual([]);
    mute.release();
    await page.until(() => ordered().length === 1, "it is ordered once the change is there");
    expect(ordered()[0]!.body).toMatchObject({ revision: page.open.revision + 1 });
  });

  it("is of a passage, in the form that is chosen", async () => {
    await open();
    await page.choose("Range", "First");
    await page.choose("Format", "FLAC, 24 bit, dithered");
    await page.press("Export");
    expect(page.posted.find((one) => one.path.endsWith("/deliveries"))!.body).toMatchObject({ start: 0, end: 2, format: "flac-24" }); // prettier-ignore
  });
});

describe("what is made", () => {
  it("is seen by everybody as far as it is, and can be stopped", async () => {
    await open("engineer", [delivery()]);
    const card = page.named("article", "Export of revision 13");
    expect(card.textContent).toContain("Olga");
    expect(card.querySelector("[role=progressbar]")?.getAttribute("aria-valuenow")).toBe("40");
    page.answers["/deliveries"] = [delivery({ status: "cancelled", messages: [] })];
    await page.press("Cancel");
    expect(page.posted.at(-1)?.path).toMatch(/\/deliveries\/d\/(cancel|stop)$/);
    await page.until(() => page.text.includes("No files were kept"), "it is stopped");
  });

  it("lists its files with what they measure, and is taken by whoever is in the session", async () => {
    const file = { name: "01 Mix.wav", kind: "mix", said: "stereo", bytes: 1_200_000, channels: ["L", "R"], clipped: 0, lufs: -18, dbtp: -1.2, lean: 0.3 }; // prettier-ignore
    await open("listener", [delivery({ status: "done", progress: 1, files: [file] })]);
    expect(page.text).toContain("−18.0 LUFS");
    expect(document.querySelector("a[href$='/deliveries/d/files/0']")).toBeTruthy();
    expect(() => page.named("form", "What to export")).toThrow();
  });
});

describe("moves of a file", () => {
  const lane = { parameter: "pan", points: 2, start: 0, end: 8, low: -1, high: 1, notes: [] };
  const found: Partial<Schemas["LanesOut"]> = {
    lanes: [
      { ...lane, index: 0, name: "Low", lands: { owner: "low", parameter: "pan" } },
      { ...lane, index: 1, name: "Somebody", lands: null },
    ],
    places: [
      { owner: "low", name: "Low", parameters: ["pan", "level"] },
      { owner: "high", name: "High", parameters: ["pan", "level"] },
    ],
  }; // prettier-ignore
  const draft = {
    id: "x", revision: 13, summary: "2 moves from moves.csv", changed: 2,
    writes: [{ owner: "low", parameter: "pan", start: 0, end: 4, points: [{ t: 0, value: -1, shape: "straight", tension: 0 }] }],
  }; // prettier-ignore

  beforeEach(() => open());

  it("land where they are shown to, looked at before, as one change", async () => {
    page.gives["/moves/import/preview"] = () => found;
    page.gives["/moves/import"] = () => draft;
    await page.give("Automation file", new File(["name"], "moves.csv"));
    await page.until(() => !!page.dialog, "they are shown");
    expect(page.field("Where Low goes").value).toBe("low");
    expect(page.field("Where Somebody goes").value).toBe("");
    await page.choose("Where Somebody goes", "High");
    await page.press("Preview these 2");
    await page.until(() => page.text.includes("ready to preview"), "they are looked at");
    expect(page.operations).toEqual([]);
    await page.press("Apply");
    expect(page.latest).toMatchObject({ kind: "write-points", owner: "low" });
  });

  it("that cannot be read are told with their line", async () => {
    page.gives["/moves/import/preview"] = () => "moves.csv, line 2: “soon” is no time.";
    await page.give("Automation file", new File(["x"], "moves.csv"));
    await page.until(() => page.text.includes("moves.csv, line 2"), "the sentence is shown");
  });
});
