// @vitest-environment happy-dom
/** Every word of the page comes from the catalogue: with one in brackets, nothing but data stands outside them. */
import english from "@/words/en.json";
import recorded from "../data/answers.json";
import { Page, settle } from "./page";

vi.mock("@/words/en.json", async (original) => {
  const { default: catalogue } = await original<{ default: Record<string, Record<string, string>> }>();
  const bracketed = Object.entries(catalogue).map(([area, messages]) => [
    area,
    // One for one and one for several are two.
    Object.fromEntries(
      Object.entries(messages).map(([key, message]) => [
        key,
        message
          .split(" | ")
          .map((each) => `⟦${each}⟧`)
          .join(" | "),
      ]),
    ),
  ]);
  return { default: Object.fromEntries(bracketed) as unknown };
});

vi.mock("@/words/declared.json", async (original) => {
  const bracketed = (value: unknown): unknown =>
    typeof value === "string"
      ? `⟦${value}⟧`
      : Object.fromEntries(Object.entries(value as object).map(([name, item]) => [name, bracketed(item)]));
  return { default: bracketed((await original<{ default: object }>()).default) };
});

/** Every text of what the server has answered: names, titles and sentences that are not the page's own. */
function textsOf(value: unknown, into = new Set<string>()): Set<string> {
  if (typeof value === "string") into.add(value);
  else if (Array.isArray(value)) for (const item of value) textsOf(item, into);
  else if (value && typeof value === "object")
    for (const [key, item] of Object.entries(value as Record<string, unknown>)) {
      // What stands in a pattern of file names is what files are called by.
      if (key === "words" && item && typeof item === "object")
        for (const word of Object.keys(item)) into.add(word);
      textsOf(item, into);
    }
  return into;
}

/** What is declared by name is told in the page's words. */
const DATA = [
  ...textsOf(
    Object.values(recorded).map((answers) =>
      Object.entries(answers).filter(([path]) => path !== "/api/library"),
    ),
  ),
]
  .filter((text) => /[a-z]{2}/i.test(text))
  .sort((a, b) => b.length - a.length);
/** What is written alike in every language: units, and names of keys and forms. */
const ALIKE =
  /\b(dB|dBTP|LUFS|LU|Hz|kHz|ms|bpm|kB|MB|GB|Ctrl|Shift|Alt|Esc|Enter|Home|End|WAV|FLAC|ADM|CSV|JSON|PDF|MIDI|CC|Wandering Needle)\b/g;

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");

/** What is left of a text outside brackets when data, numbers and units are taken out. */
function unbracketed(text: string): string {
  let rest = text;
  for (let before = ""; before !== rest;) [before, rest] = [rest, rest.replace(/⟦[^⟦⟧]*⟧/g, " ")];
  for (const known of DATA)
    if (rest.includes(known))
      rest = rest.replace(new RegExp(`(?<![A-Za-z])${escaped(known)}(?![A-Za-z])`, "g"), " ");
  return rest.replace(ALIKE, " ");
}

function shownTexts(root: Element): string[] {
  const texts: string[] = [];
  const walker = document.createTreeWalker(root, NodeFilter.SHOW_TEXT | NodeFilter.SHOW_ELEMENT);
  for (let node: Node | null = walker.currentNode; node; node = walker.nextNode()) {
    if (node instanceof Element)
      for (const name of ["aria-label", "title", "placeholder", "aria-valuetext", "alt"])
        if (node.getAttribute(name)) texts.push(node.getAttribute(name)!);
    if (node.nodeType === Node.TEXT_NODE && !node.parentElement?.closest("style, script"))
      texts.push(node.textContent ?? "");
  }
  return texts;
}

describe("the catalogue", () => {
  let page: Page;
  afterEach(() => page?.close());

  for (const desk of ["place", "move", "pulse", "balance", "hand-over"])
    it(`has every word of the ${desk} desk`, async () => {
      page = new Page();
      await page.desk(desk);
      await settle();
      const left = shownTexts(document.body).map(unbracketed).filter((text) => /[a-z]{3}/i.test(text)); // prettier-ignore
      expect([...new Set(left)]).toEqual([]);
    });

  it("holds no message twice in one place, and none that is empty", () => {
    for (const [area, messages] of Object.entries(english as Record<string, Record<string, string>>)) {
      const texts = Object.values(messages);
      expect([area, texts.filter((text) => !text.trim())]).toEqual([area, []]);
    }
  });
});
