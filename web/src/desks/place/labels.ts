/** Where names go in the field so that they cover neither each other nor the marks: pure geometry. */
import { must } from "@/domain/must";

export interface Named {
  id: string;
  text: string;
  /** The mark's right and left edge, and its height. */
  x: number;
  left: number;
  y: number;
  /** Laid out before the others. */
  first: boolean;
  /** May go without a name where there is no room. */
  quiet?: boolean;
}

export interface Label {
  x: number;
  y: number;
  anchor: "start" | "end" | "middle";
}

interface Box {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

const CHARACTER = 6.7;
const LINE = 14;
const MARK = 9;
/** Beyond this a quiet name is left out rather than cover others. */
const ROOM = 60;

/** A place for each name: beside its mark, or above or below it, wherever least is covered. */
export function laidOut(
  names: Named[],
  width: number,
  top: number,
  bottom: number,
  /** Marks besides, and their names as they are laid out already. */
  others: Named[] = [],
  laid: ReadonlyMap<string, Label> = new Map(),
): Map<string, Label> {
  const taken: Box[] = [...others, ...names].map((one) => ({
    left: one.left - MARK,
    right: one.x + MARK,
    top: one.y - MARK,
    bottom: one.y + MARK,
  }));
  for (const one of others) {
    const label = laid.get(one.id);
    if (label) taken.push(boxOf(label, one.text));
  }
  const found = new Map<string, Label>();
  const order = [...names].sort((a, b) => Number(b.first) - Number(a.first) || a.y - b.y || a.x - b.x);
  for (const one of order) {
    const middle = (one.x + one.left) / 2;
    const wishes: { label: Label; box: Box; dislike: number }[] = [
      { x: one.x + 12, y: one.y, anchor: "start" as const, dislike: 0 },
      { x: one.left - 12, y: one.y, anchor: "end" as const, dislike: 1 },
      { x: middle, y: one.y - 17, anchor: "middle" as const, dislike: 2 },
      { x: middle, y: one.y + 18, anchor: "middle" as const, dislike: 3 },
      { x: one.x + 10, y: one.y - 13, anchor: "start" as const, dislike: 4 },
      { x: one.x + 10, y: one.y + 14, anchor: "start" as const, dislike: 5 },
      { x: one.left - 10, y: one.y - 13, anchor: "end" as const, dislike: 6 },
      { x: one.left - 10, y: one.y + 14, anchor: "end" as const, dislike: 7 },
      { x: middle, y: one.y - 31, anchor: "middle" as const, dislike: 9 },
      { x: middle, y: one.y + 32, anchor: "middle" as const, dislike: 10 },
    ].map(({ dislike, ...label }) => {
      return { label, box: boxOf(label, one.text), dislike };
    });
    const outside = (box: Box): boolean =>
      box.left < 2 || box.right > width - 2 || box.top < top || box.bottom > bottom;
    let best = must(wishes[0]);
    let least = Infinity;
    for (const wish of wishes) {
      let price = wish.dislike + (outside(wish.box) ? 1e4 : 0);
      for (const box of taken) if ((price += covered(box, wish.box)) >= least) break;
      if (price < least) [best, least] = [wish, price];
    }
    if (one.quiet && !one.first && least > ROOM) continue;
    taken.push(best.box);
    found.set(one.id, best.label);
  }
  return found;
}

/** What a name covers. */
function boxOf(label: Label, text: string): Box {
  const long = text.length * CHARACTER;
  const left =
    label.anchor === "start" ? label.x : label.anchor === "end" ? label.x - long : label.x - long / 2;
  return { left, right: left + long, top: label.y - LINE / 2, bottom: label.y + LINE / 2 };
}

function covered(a: Box, b: Box): number {
  const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
  const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
  return across > 0 && down > 0 ? across * down : 0;
}
