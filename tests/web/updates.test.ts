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

async function play(steps = 10): Promise<void> {
  const player = usePlayer();
  for (let step = 1; step <= steps; step += 1) {
    player.playhead = step / 3;
    player.now = { peak_left: -20 - step, peak_right: -21, lean_long: step / 10, momentary: -18 - step };
    await nextTick();
  }
}

afterEach(() => page.end());

const DESKS = ["place", "move", "pulse", "balance", "hand-over"] as const;
/** What may show something of its own at each step: the playhead, what is measured at it, the source that moves. */
const MOVES =
  /^(Transport|ValueField|Playhead|PlayheadLine|EnergyArrow|Field|FootNumbers|RoomNumbers|NowNumbers)$/;
const isMoving = (name: string): boolean => MOVES.test(name) || name.endsWith(" source-3");
const others = (updates: Map<string, number>): string[] =>
  [...updates.keys()].filter((one) => !isMoving(one));

describe("while it plays", () => {
  it.each(DESKS)("nothing that stands is rendered again on %s", async (desk) => {
    const updates = await open(desk);
    await play();
    expect(others(updates)).toEqual([]);
    expect([...updates.keys()].some((one) => one.endsWith("source-3"))).toBe(true);
  });
  it.each(DESKS)("nothing that stands is rendered again on %s in a room", async (desk) => {
    const updates = await open(desk, "room");
    await play();
    expect(others(updates)).toEqual([]);
  });
});

describe("a colleague", () => {
  it.each(DESKS)("who goes along changes only their own marks on %s", async (desk) => {
    const updates = await open(desk);
    await page.hear({ type: "presence", person: person({ chosen: "source-5", playhead: 0 }) });
    updates.clear();
    for (let i = 1; i <= 5; i += 1)
      await page.hear({ type: "presence", person: person({ chosen: "source-5", playhead: i }) });
    expect([...updates.keys()].filter((one) => !/^(Here|Colleagues)$/.test(one))).toEqual([]);
  });

  it.each(DESKS)("who holds a source changes only what shows it on %s", async (desk) => {
    const updates = await open(desk);
    const tell = (value: number) => page.hear({ type: "preview", tab: "t1", control: "source-5.pan", value });
    await page.hear({ type: "presence", person: person({ chosen: null }) });
    await tell(0);
    updates.clear();
    for (let i = 1; i <= 5; i += 1) await tell(i / 10);
    expect([...updates.keys()].filter((one) => !one.endsWith(" source-5") && !isMoving(one))).toEqual([]);
  });
});
