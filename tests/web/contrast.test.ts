/** Colours that letters stand on, or that letters have: read on both papers, as WCAG measures it. */
import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { INKS, PEOPLE } from "@/ui/theme";

const sheet = readFileSync(fileURLToPath(new URL("../../web/src/app/style.css", import.meta.url)), "utf8");

/** The variables of one paper: the day's, with the night's over them. */
function paper(night: boolean): Record<string, string> {
  const blocks = [...sheet.matchAll(/(:root|\[data-paper="?night"?\])[^{]*\{([^}]*)\}/g)].filter(
    ([, , body]) => body!.includes("--paper:"),
  );
  const wanted = blocks.filter(([whole]) => night || !whole.includes("night"));
  return Object.fromEntries(
    wanted.flatMap(([, , body]) =>
      [...body!.matchAll(/--([\w-]+):\s*(#[0-9a-f]{6})/gi)].map(([, name, colour]) => [name!, colour!]),
    ),
  );
}

const channel = (value: number): number =>
  value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
function luminance(colour: string): number {
  const [red, green, blue] = [1, 3, 5].map((at) => channel(parseInt(colour.slice(at, at + 2), 16) / 255));
  return 0.2126 * red! + 0.7152 * green! + 0.0722 * blue!;
}
function contrast(one: string, other: string): number {
  const [low, high] = [luminance(one), luminance(other)].sort((a, b) => a - b);
  return (high! + 0.05) / (low! + 0.05);
}

describe.each([false, true])("on paper (night: %s)", (night) => {
  const colours = paper(night);

  it("has its colours", () => {
    expect(Object.keys(colours)).toEqual(
      expect.arrayContaining(["paper", "ink", "quiet", "on-lamp", "left-text"]),
    );
    expect(contrast(colours.paper!, colours.ink!)).toBeGreaterThan(10);
  });

  it.each(["ink", "quiet", "left-text", "right", "wrong"])("%s is read on every ground", (name) => {
    for (const ground of ["paper", "panel", "raised"])
      expect([ground, contrast(colours[name]!, colours[ground]!)]).toEqual([
        ground,
        expect.toSatisfy((c: number) => c >= 4.5),
      ]);
  });

  it("initials and names are read on everybody's colour, and letters on the lamp", () => {
    for (const person of PEOPLE)
      expect([person, contrast(person, colours["on-lamp"]!)]).toEqual([
        person,
        expect.toSatisfy((c: number) => c >= 4.5),
      ]);
    expect(contrast(colours.lamp!, colours["on-lamp"]!)).toBeGreaterThanOrEqual(4.5);
  });
});

it("every ink of a source is seen on day paper", () => {
  for (const ink of INKS) expect(contrast(ink, paper(false).paper!)).toBeGreaterThanOrEqual(3);
});
