/** The room of loudspeakers: its layout, where everything is over time as the core tells it, and how one looks at it. */
import { useSelection } from "./selection";
import { must } from "@/domain/must";
import type { Layer, Parameter, Source } from "@/domain/model";
import { watchDebounced } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import { hasSides, isOfRoom, isOfSide, ownOf } from "@/domain/parameters";
import { get, post, type Schemas } from "@/api/http";
import { latest } from "@/api/latest";
import { usePlayer } from "@/audio/player";
import { operation } from "./edits";
import { endsOf, PLACING, type Values } from "@/domain/ends";
import { useLibrary } from "./library";
import { useSession } from "./session";

export type Place = [number, number, number];
export type Route = Schemas["StoredRoute"];
export type Held = Schemas["PlacementPreview"];
type Whereabouts = Schemas["TrajectoriesOut"];

/** How much is asked at a time (s), and how near its end more is asked. */
const WINDOW = 40;
const MARGIN = 8;

const at = (values: number[], index: number): number => values[Math.min(index, values.length - 1)] ?? 0;

export const useRoom = defineStore("room", () => {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const library = useLibrary();

  const layout = computed(() =>
    library.library?.layouts.find((one) => one.name === session.settings?.layout),
  );
  const surround = computed(() => !!layout.value?.surround);
  const channels = computed(() => layout.value?.channels ?? []);
  const speakers = computed(() => channels.value.filter((one) => !one.lfe));
  const groups = computed(() =>
    (library.library?.speaker_groups ?? []).filter((group) =>
      speakers.value.some((one) => one.group === group),
    ),
  );

  /** How the Place desk shows the room: personal. */
  const view = ref<"line" | "plan" | "side">("plan");
  /** What a drag leaves alone: personal. */
  const locked = ref({ across: false, along: false });
  /** The passage whose route is set in the details; "" for what always holds. */
  const passage = ref("");

  const audible = (name: Parameter): boolean => surround.value || !isOfRoom(name);

  /** What can be automated of a source in a room, besides what stereo has. */
  function lanesOf(source: Source): Parameter[] {
    const bySide = source.mode === "sides";
    const lfe = channels.value.some((one) => one.lfe);
    return ownOf("source").filter(
      (name) =>
        isOfRoom(name) &&
        !(isOfSide(name) && !bySide) &&
        !(hasSides(name) && bySide) &&
        (name !== "lfe" || lfe),
    );
  }
  /** Where a send stands by itself. */
  const placed = computed<Parameter[]>(() =>
    ownOf("send").filter((name) => name !== "level" && audible(name)),
  );
  const ofReturns = computed<Parameter[]>(() => ownOf("return").filter(audible));
  const ofLayers = computed<Parameter[]>(() => ownOf("layer").filter(audible));

  const layersOf = (source: string): Layer[] =>
    Object.values(session.document?.layers ?? {})
      .filter((one) => one.source === source)
      .sort((a, b) => a.order - b.order || a.id.localeCompare(b.id));

  const found = shallowRef<Whereabouts | null>(null);
  /** The revision of which the core has told last. */
  const told = ref(-1);
  const turn = latest();
  async function look(): Promise<void> {
    if (!surround.value || !session.id) return;
    const isLast = turn();
    const start = Math.max(player.playhead - MARGIN, 0);
    const query = new URLSearchParams({
      revision: String(session.revision),
      start: start.toFixed(2),
      seconds: String(WINDOW),
      moves: player.moves.join(","),
    });
    if (selection.chosen && session.document?.sources[selection.chosen]) query.set("gains", selection.chosen);
    try {
      const revision = session.revision;
      const answer = await get<Whereabouts>(`/api/sessions/${session.id}/room/trajectories?${query}`);
      if (!isLast()) return;
      found.value = answer;
      told.value = revision;
    } catch {
      /* the connection is down: what is there stays, and the next change asks again */
    }
  }
  const trajectories = computed(() => new Map((found.value?.trajectories ?? []).map((one) => [one.id, one])));
  /** Which of the told moments is now. */
  const moment = computed(() => {
    const here = found.value;
    return here
      ? Math.min(Math.max(Math.round((player.playhead - here.start) / here.step), 0), here.count - 1)
      : 0;
  });
  watchDebounced([() => session.revision, () => selection.chosen, () => player.moves, layout], look, {
    debounce: 60,
    immediate: true,
  });
  /** Whether the playhead has left what the core has told: what is shown is not of now then. */
  const late = computed(() => {
    const here = found.value;
    const at = here ? (player.playhead - here.start) / here.step : 0;
    return !!here && (at < -0.5 || (at > here.count - 0.5 && player.playhead < session.length));
  });
  // While it plays the next stretch is asked for once, and only again when that answer has come or failed: a question
  // a frame would make every answer one too late.
  let coming = false;
  watch(
    () => player.playhead,
    async (now) => {
      const here = found.value;
      if (!here || !surround.value || coming) return;
      const end = here.start + here.step * (here.count - 1);
      const near = end < session.length && now > end - MARGIN / 2;
      if (now >= here.start && !near) return;
      coming = true;
      await look();
      coming = false;
    },
  );

  /** Whether a hand, here or elsewhere, has hold of a source's place, or has let go and it has not come back yet. */
  const inHand = (id: string): boolean =>
    PLACING.some((name) => session.pending.has(`${id}.${name}`) || session.previews.has(`${id}.${name}`));

  /** A source's ends as hands have them: what its coordinates say. What is turned is told by the core. */
  function endsInHand(source: Source): Place[] | null {
    const look = (parameter: Parameter): number => session.valueAt(source, parameter, player.playhead);
    if (look("rotation") || session.valueNow("room:mix", "rotation"))
      return held.value && selection.chosen === source.id ? [held.value.position] : null;
    const sides = source.mode === "sides";
    return endsOf(source.mode, look).map(({ side, at: across }) => {
      const name = (kind: "front" | "height"): Parameter =>
        sides && side !== "whole" ? `${kind}_${side}` : kind;
      return [across, look(name("front")), look(name("height"))];
    });
  }
  /** Where hands have put sources: shown until the core has told the revision in which they are there. */
  const put = new Map<string, Place[]>();

  /** Where each end of a source or layer is now, as it sounds. */
  function endsNow(id: string): Place[] {
    const source = session.document?.sources[id];
    const ends = source && inHand(id) ? endsInHand(source) : null;
    if (ends) put.set(id, ends);
    else if (told.value >= session.revision) put.delete(id);
    const shown = put.get(id);
    if (shown) return shown;
    return (trajectories.value.get(id)?.ends ?? []).map(
      (end) => end.map((values) => at(values, moment.value)) as Place,
    );
  }
  /** The part of the room that each side stands over now, if one has a width: places from end to end. */
  function partsNow(id: string): Place[][] {
    const source = session.document?.sources[id];
    if (source && (inHand(id) || put.has(id))) return partsInHand(source);
    return (trajectories.value.get(id)?.parts ?? []).map((part) =>
      part.map((place) => place.map((values) => at(values, moment.value)) as Place),
    );
  }
  function partsInHand(source: Source): Place[][] {
    const look = (parameter: Parameter): number => session.valueAt(source, parameter, player.playhead);
    const ends = endsInHand(source) ?? [];
    return endsOf(source.mode, look).flatMap(({ part }, i) => {
      const end = ends[i];
      return part && end ? [[part.from, part.to].map((across) => [across, end[1], end[2]] as Place)] : [];
    });
  }
  const spreadNow = (id: string): number => at(trajectories.value.get(id)?.spread ?? [0], moment.value);

  /** Where the first end of a thing goes: places and times, from `from` to `to` (s). */
  function pathOf(id: string, from: number, to: number): { t: number; place: Place }[] {
    const here = found.value;
    const ends = trajectories.value.get(id)?.ends;
    if (!here || !ends?.length || ends.every((end) => end.every((values) => values.length === 1))) return [];
    const path = [];
    const first = Math.max(Math.ceil((from - here.start) / here.step), 0);
    const last = Math.min(Math.floor((to - here.start) / here.step), here.count - 1);
    for (let i = first; i <= last; i += 2) {
      const mean = [0, 1, 2].map(
        (axis) => ends.reduce((sum, end) => sum + at(must(end[axis]), i), 0) / ends.length,
      ) as Place;
      path.push({ t: here.start + i * here.step, place: mean });
    }
    return path;
  }

  /** What a hand makes of the chosen source while it is held: told by the core a few times a second. */
  const held = shallowRef<Held | null>(null);
  let asking = false;
  let next: Values | null = null;
  async function holding(source: Source, values: Values): Promise<void> {
    next = values;
    if (asking) return;
    asking = true;
    while (next) {
      const wanted: Values = next;
      next = null;
      held.value = await placeOf(source, { values: wanted }).catch(() => held.value);
    }
    asking = false;
  }
  const letGo = (): void => {
    next = null;
    held.value = null;
  };
  watch(found, letGo);
  // The passage whose speakers are set is that of one source.
  watch(
    () => selection.chosen,
    () => (passage.value = ""),
  );
  // Another session is another room.
  watch(
    () => session.id,
    () => {
      found.value = null;
      told.value = -1;
      passage.value = "";
      put.clear();
    },
  );

  /** What a place would be: room and polar coordinates, and what plays it. */
  const placeOf = (
    source: Source,
    given: { values?: Values; polar?: [number, number, number] },
  ): Promise<Held> =>
    post<Held>(`/api/sessions/${session.id}/room/place`, {
      revision: session.revision, at: player.playhead, source: source.id, ...given,
    }); // prettier-ignore

  /** How strong the chosen source is in every channel now. */
  const gainsNow = computed<number[]>(
    () => held.value?.gains ?? (found.value?.gains ?? []).map((values) => at(values, moment.value)),
  );
  const polarNow = computed<[number, number, number] | null>(() => {
    if (held.value) return [held.value.azimuth, held.value.elevation, held.value.distance];
    const polar = found.value?.polar ?? [];
    return polar.length
      ? (polar.map((values) => at(values, moment.value)) as [number, number, number])
      : null;
  });

  const routes = (source: string): Record<string, Route> =>
    session.document?.speaker_routing[source]?.routes ?? {};
  const PLAIN: Route = { off: [], levels: {}, direct: 0, ambient: 0 };

  const routeControl = (source: string, key: string, name: string): string =>
    `route:${source}/${key}.${name}`;

  /** The route of a source in a passage, as it holds there and as hands hold it. */
  function routeIn(source: string, key: string): Route {
    const stands = routes(source)[key] ?? routes(source)[""] ?? PLAIN;
    const shown = (name: string, value: number): number =>
      session.shown(routeControl(source, key, name), value);
    const levels = { ...stands.levels };
    for (const name of [...groups.value, "lfe"]) {
      const level = shown(name, levels[name] ?? NaN);
      if (!Number.isNaN(level)) levels[name] = level;
    }
    return {
      ...stands,
      levels,
      direct: shown("direct", stands.direct ?? 0),
      ambient: shown("ambient", stands.ambient ?? 0),
    };
  }

  /** The passage at the playhead that has a route of its own for a source; "" if what always holds does. */
  const passageNow = (source: string): string => {
    const own = routes(source);
    const here = session.passages.filter((one) => {
      const [start, end] = [one.start, one.end].map((beat) => session.grid.secondsOfBeat(beat));
      return own[one.id] && player.playhead >= must(start) && player.playhead < must(end);
    });
    return here.at(-1)?.id ?? "";
  };

  function setRoute(source: Source, values: Partial<Route>): void {
    const { levels, direct, ambient } = values;
    const numbers = Object.entries({ ...levels, direct, ambient }).filter(([, value]) => value !== undefined);
    session.change(
      Object.fromEntries(
        numbers.map(([name, value]) => [routeControl(source.id, passage.value, name), value as number]),
      ),
      operation("set-route", { source: source.id, passage: passage.value, ...values }),
    );
  }

  /** Let speakers sound, or not; the last ones cannot be forbidden. */
  function permit(source: Source, names: string[], allowed: boolean): void {
    const before = routeIn(source.id, passage.value).off ?? [];
    const here = new Set(speakers.value.map((one) => one.name));
    const off = allowed
      ? before.filter((name) => !names.includes(name))
      : [...new Set([...before, ...names])];
    if ([...here].every((name) => off.includes(name))) return;
    setRoute(source, { off });
  }

  return {
    layout, surround, channels, speakers, groups, view, locked, passage, lanesOf, placed, ofReturns, ofLayers, layersOf,
    found, told, late, held, gainsNow, polarNow, look, endsNow, partsNow, spreadNow, pathOf, holding, letGo, placeOf, routes, routeIn, passageNow,
    setRoute, permit,
  }; // prettier-ignore
});
