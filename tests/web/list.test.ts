// @vitest-environment happy-dom
/** The list of sources: filtered, folded, compact, gone through by keys; where one is, and what one hears otherwise. */
import { useSelection } from "@/session/selection";
import { nextTick } from "vue";
import { usePlayer } from "@/audio/player";
import { Page, SESSION } from "./page";

let page: Page;
const SOURCES = 40;

/** A session of many sources, the odd ones in a group, some of them moving. */
async function open(desk = "place"): Promise<void> {
  page = new Page("stereo");
  const { sources, lanes, groups } = page.open.document;
  const model = sources.high!;
  for (let i = 0; i < SOURCES; i += 1) {
    const id = `more-${i}`;
    sources[id] = { ...model, id, name: `Part ${i}`, order: 10 + i, group: i % 2 ? "odd" : "" };
  }
  groups.odd = { id: "odd", name: "Odd ones", order: 0, level: 0, muted: false, shift: 0 };
  const points = [0, 4].map((t, i) => ({ t, value: i, shape: "straight", tension: 0 }));
  lanes["more-6/pan"] = { id: "more-6/pan", owner: "more-6", parameter: "pan", off: false, points } as never;
  page.gives["/placement"] = () => page.answers["/sources/high/placement"];
  page.gives["/waveform"] = () => page.answers["/sources/high/waveform"];
  await page.desk(desk);
}

const rows = (): string[] =>
  [...document.querySelectorAll<HTMLElement>(".roster .row .name")].map((one) => one.textContent.trim());
const focused = (): [string | undefined, string | undefined] => {
  const at = document.activeElement as HTMLElement;
  return [at.closest<HTMLElement>("[data-item]")?.dataset.item, at.dataset.stop];
};
async function filter(text: string): Promise<void> {
  const field = page.field("Filter the list");
  field.value = text;
  field.dispatchEvent(new Event("input", { bubbles: true }));
  await nextTick();
  await nextTick();
}

afterEach(() => page.end());

describe("many sources", () => {
  beforeEach(() => open());

  it("are in the page only as far as they are in sight", () => {
    expect(rows().length).toBeGreaterThan(10);
    expect(rows().length).toBeLessThan(SOURCES);
  });

  it("are found by name, by group and by what they do", async () => {
    await filter("part 1");
    expect(rows()).toEqual(expect.arrayContaining(["Part 1", "Part 10", "Part 19"]));
    expect(rows().every((one) => one.includes("1"))).toBe(true);
    await filter("odd 3");
    expect(rows()).toEqual(expect.arrayContaining(["Part 3", "Part 33"]));
    expect(rows()).not.toContain("Part 30");
    await filter("moving part");
    expect(rows()).toEqual(["Part 6"]);
    await filter("no such thing");
    expect(page.text).toContain("No source matches");
    await page.key("Escape", page.field("Filter the list"));
    expect(rows().length).toBeGreaterThan(10);
  });

  it("fold with their group, and stand closer in compact rows", async () => {
    await filter("part");
    expect(rows()).toContain("Part 1");
    await page.press("Sources of Odd ones");
    expect(page.button("Sources of Odd ones").getAttribute("aria-expanded")).toBe("false");
    expect(rows()).not.toContain("Part 1");
    const before = rows().length;
    await page.press("Compact rows");
    expect(rows().length).toBeGreaterThanOrEqual(before);
    expect(document.querySelector(".roster .row")!.classList.contains("compact")).toBe(true);
    await page.press("Sources of Odd ones");
    await page.press("Compact rows");
  });

  it("are one tab stop, gone through by the arrow keys without selecting", async () => {
    const chosen = useSelection().chosen;
    const stops = [...document.querySelectorAll<HTMLElement>(".roster .list [data-stop]")];
    expect(stops.filter((one) => one.tabIndex === 0)).toHaveLength(1);
    stops.find((one) => one.tabIndex === 0)!.focus();
    const [first] = focused();
    await page.key("ArrowDown", document.activeElement!);
    const [second] = focused();
    expect(second).not.toBe(first);
    await page.key("ArrowRight", document.activeElement!);
    expect(focused()[0]).toBe(second);
    expect(focused()[1]).not.toBe("name");
    document.querySelector<HTMLElement>(`[data-item="${second}"] [data-stop=mute]`)!.focus();
    await page.key("ArrowUp", document.activeElement!);
    expect(focused()).toEqual([first, "mute"]);
    await nextTick();
    expect(
      [...document.querySelectorAll<HTMLElement>(".roster .list [data-stop]")].filter(
        (one) => one.tabIndex === 0,
      ),
    ).toHaveLength(1);
    expect(useSelection().chosen).toBe(chosen);
  });

  it("go to another place of the list by a pointer that drags their ink", async () => {
    const handle = document.querySelector<HTMLElement>("[data-source='more-3'] [data-reorder]")!;
    const onto = document.querySelector<HTMLElement>("[data-source='more-1']")!;
    document.elementFromPoint = () => onto;
    await page.drag(handle, [5, 300], [5, 200], [5, 100]);
    expect(page.operations.length).toBeGreaterThan(0);
    expect(JSON.stringify(page.latest)).toContain("more-3");
  });
});

describe.each(["stereo", "room"] as const)("marks in the picture, in %s", (kind) => {
  it("are one tab stop, gone through by Page Up and Page Down, selected by Enter", async () => {
    page = new Page(kind);
    await page.desk("place");
    const marks = (): HTMLElement[] => [...document.querySelectorAll<HTMLElement>("svg [data-mark]")];
    const stop = (): HTMLElement[] => marks().filter((one) => one.getAttribute("tabindex") === "0");
    await page.until(() => marks().length > 1, "the picture is there");
    const chosen = useSelection().chosen;
    expect(stop().map((one) => one.dataset.mark)).toEqual([chosen]);
    stop()[0]!.focus();
    for (const key of ["PageUp", "PageUp", "PageUp"]) await page.key(key, document.activeElement!);
    await page.key("PageDown", document.activeElement!);
    const here = (document.activeElement as HTMLElement).dataset.mark;
    expect(stop().map((one) => one.dataset.mark)).toEqual([here]);
    expect(useSelection().chosen).toBe(chosen);
    await page.key("Enter", document.activeElement!);
    expect(useSelection().chosen).toBe(here);
  });
});

describe("where one is", () => {
  it("is kept for the session: selection, playhead and solos", async () => {
    await open();
    useSelection().choose("more-2");
    usePlayer().seek(1.5);
    usePlayer().soloThese(["more-2"]);
    await nextTick();
    window.dispatchEvent(new Event("pagehide"));
    const kept = localStorage.getItem(`needle-where-${SESSION}`);
    expect(JSON.parse(kept!)).toEqual({
      desk: "place",
      selection: ["more-2"],
      playhead: 1.5,
      solo: ["more-2"],
    });
    page.close();
    page = new Page("stereo");
    localStorage.setItem(`needle-where-${SESSION}`, JSON.stringify({ ...JSON.parse(kept!), selection: ["wide", "gone"], solo: ["wide"] })); // prettier-ignore
    await page.desk("move");
    expect(useSelection().chosen).toBe("wide");
    expect(usePlayer().playhead).toBe(1.5);
    expect(usePlayer().solo).toEqual(["wide"]);
  });
});

describe("what is heard otherwise than the mix", () => {
  it("is told in the bar, each with an end of its own; more than there is room for as one", async () => {
    await open();
    const marks = (): string[] =>
      [...document.querySelectorAll<HTMLElement>(".marks button")].map((one) =>
        one.textContent.replace(/\s+/g, " ").trim(),
      );
    usePlayer().soloThese(["more-2"]);
    await nextTick();
    expect(marks()).toEqual(["Solo: Part 2 ×"]);
    await page.key("W");
    expect(marks()).toEqual(["Solo: Part 2 ×", "Bypass ×"]);
    await page.key("k");
    expect(marks()).toEqual(["Solo: Part 2 ×", "2 more ×"]);
    await page.press("2 more ×");
    expect(marks()).toEqual(["Solo: Part 2 ×"]);
    expect(usePlayer().click).toBe(false);
    await page.press("Solo: Part 2 ×");
    expect(usePlayer().solo).toEqual([]);
    expect(marks()).toEqual([]);
  });
});

describe("keys", () => {
  it("are given back by a field when its value is entered or left", async () => {
    await open();
    const level = page.field("Level of Part 0");
    level.focus();
    await page.type("Level of Part 0", "-3.5");
    expect(page.latest).toMatchObject({ kind: "set-level", source: "more-0", level: -3.5 });
    expect(document.activeElement).not.toBe(level);
    level.focus();
    await page.key("Escape", level);
    expect(document.activeElement).not.toBe(level);
  });

  it("go round the ways of placing by timing, one tab stop for all", async () => {
    await open();
    await page.press(/^Delay panning/);
    const radios = [...document.querySelectorAll<HTMLElement>(".ways [role=radio]")];
    expect(radios.filter((one) => one.tabIndex === 0)).toHaveLength(1);
    const at = radios.findIndex((one) => one.tabIndex === 0);
    radios[at]!.focus();
    await page.key("ArrowRight", radios[at]);
    expect(document.activeElement).toBe(radios[(at + 1) % radios.length]);
    expect(page.latest).toMatchObject({ kind: "place-source" });
  });
});

describe("a colleague's notice", () => {
  it("that asks for something stays until it is answered", async () => {
    vi.useFakeTimers({ toFake: ["setTimeout"] });
    try {
      const { useNotices } = await import("@/ui/notices");
      await open();
      const notices = useNotices();
      notices.tell("Passing by");
      notices.tell("Asked for", { action: { title: "Give", run: () => undefined } });
      vi.advanceTimersByTime(60_000);
      expect(notices.all.map(({ text }) => text)).toEqual(["Asked for"]);
    } finally {
      vi.useRealTimers();
    }
  });
});
