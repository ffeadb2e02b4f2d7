// @vitest-environment happy-dom
/** What does not move is not rendered again: updates of components are counted while the playhead goes on. */
import { nextTick, type ComponentPublicInstance } from "vue";
import { useLean } from "@/audio/lean";
import type { Schemas } from "@/api/http";
import { usePlayer } from "@/audio/player";
import { Page, person, type Kind } from "./page";

let page: Page;

const SOURCES = 64;

/** The source that a component shows, or that what it stands in shows. */
function sourceOf(component: ComponentPublicInstance): string {
  const { source, mark } = component.$props as { source?: { id: string }; mark?: { source: { id: string } } };
  return (source ?? mark?.source)?.id ?? (component.$parent ? sourceOf(component.$parent) : "");
}

/** A session of many sources that stand, one of which moves, at a desk. */
async function open(desk: string, kind: Kind = "stereo"): Promise<Map<string, number>> {
  page = new Page(kind);
  const { sources, lanes } = page.open.document;
  const [model] = Object.values(sources) as [Schemas["StoredSource"]];
  for (const key of Object.keys(sources)) if (key !== model.id) delete sources[key];
  for (const key of Object.keys(lanes)) delete lanes[key];
  page.open.document.pulses = {};
  for (let i = 0; i < SOURCES; i += 1) {
    const id = `source-${i}`;
    sources[id] = { ...model, id, name: `Source ${i}`, order: i + 1, pan: (i % 21) / 10 - 1, group: "" };
  }
  // The source that moves sounds as the one sounds whose answers are recorded.
  for (const part of ["placement", "waveform"])
    page.gives[`/sources/source-3/${part}`] = () =>
      Object.entries(page.answers).find(([path]) => path.endsWith(`/${part}`))?.[1];
  const points = [0, 60].map((t, i) => ({ t, value: i, shape: "straight", tension: 0 }));
  lanes["source-3/pan"] = {
    id: "source-3/pan",
    owner: "source-3",
    parameter: "pan",
    off: false,
    points,
  } as never;
  const updates = new Map<string, number>();
  page.mixins = [
    {
      updated(this: ComponentPublicInstance) {
        const name = `${this.$options.__name ?? "?"} ${sourceOf(this)}`.trim();
        updates.set(name, (updates.get(name) ?? 0) + 1);
      },
    },
  ];
  await page.desk(desk);
  await page.until(() => useLean().lean !== null, "the lean is measured");
  updates.clear();
  return updates;
}

async function play(): Promise<void> {
  const player = usePlayer();
  for (let step = 1; step <= 10; step += 1) {
    player.playhead = step / 3;
    player.now = { peak_left: -20 - step, peak_right: -21, lean_long: step / 10, momentary: -18 - step };
    await nextTick();
  }
}

/** What else is rendered in a round; answers that are still under way may be in the first ones, not in each. */
async function alsoRendered(
  updates: Map<string, number>,
  isMeant: (name: string) => boolean,
  round: () => Promise<void>,
): Promise<string[]> {
  let also: string[] = [];
  for (let tries = 0; tries < 10; tries += 1) {
    updates.clear();
    await round();
    also = [...updates.keys()].filter((name) => !isMeant(name));
    if (!also.length) break;
  }
  return also;
}

afterEach(() => page.end());

const DESKS = ["place", "move", "pulse", "balance", "hand-over"] as const;
/** What may show something of its own at each step: the playhead, what is measured at it, the source that moves. */
const MOVES =
  /^(Transport|ValueField|Playhead|RuleHead|PlayheadLine|EnergyArrow|Field|FootNumbers|RoomNumbers|NowNumbers)$/;
const isMoving = (name: string): boolean => MOVES.test(name) || name.endsWith(" source-3");

describe("while it plays", () => {
  it.each(DESKS)("nothing that stands is rendered again on %s", async (desk) => {
    const updates = await open(desk);
    expect(await alsoRendered(updates, isMoving, play)).toEqual([]);
    expect([...updates.keys()].some((one) => one.endsWith("source-3"))).toBe(true);
  });
  it.each(DESKS)("nothing that stands is rendered again on %s in a room", async (desk) => {
    const updates = await open(desk, "room");
    expect(await alsoRendered(updates, isMoving, play)).toEqual([]);
  });
});

describe("a colleague", () => {
  it.each(DESKS)("who goes along changes only their own marks on %s", async (desk) => {
    const updates = await open(desk);
    await page.hear({ type: "presence", person: person({ chosen: "source-5", playhead: 0 }) });
    const isTheirs = (name: string): boolean => /^(Here|Colleagues)$/.test(name);
    const also = await alsoRendered(updates, isTheirs, async () => {
      for (let i = 1; i <= 5; i += 1)
        await page.hear({ type: "presence", person: person({ chosen: "source-5", playhead: i }) });
    });
    expect(also).toEqual([]);
  });

  it.each(DESKS)("who holds a source changes only what shows it on %s", async (desk) => {
    const updates = await open(desk);
    const tell = (value: number) => page.hear({ type: "preview", tab: "t1", control: "source-5.pan", value });
    await page.hear({ type: "presence", person: person({ chosen: null }) });
    await tell(0);
    const isMeant = (name: string): boolean => name.endsWith(" source-5") || isMoving(name);
    const also = await alsoRendered(updates, isMeant, async () => {
      for (let i = 1; i <= 5; i += 1) await tell(i / 10);
    });
    expect(also).toEqual([]);
  });
});
