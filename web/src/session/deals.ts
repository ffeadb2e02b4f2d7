/** The deal of the chosen source: its events, the places they go to, and what the core makes of both. */
import { useSelection } from "./selection";
import { must } from "@/domain/must";
import { t } from "@/words";
import { defineStore } from "pinia";
import { useTimeoutFn } from "@vueuse/core";
import { computed, ref, shallowReactive, shallowRef, watch } from "vue";
import { get, post, postFile, type Schemas } from "@/api/http";
import type { Value } from "@/domain/model";
import { placeControl } from "@/domain/owners";
import { eventAt } from "@/domain/events";
import { usePlayer } from "@/audio/player";
import { say } from "@/ui/say";
import { operation, batch } from "./edits";
import { useLibrary } from "./library";
import { useSession } from "./session";

export type Deal = Schemas["StoredDeal"];
export type DealPlace = Schemas["StoredPlace"];
export type Events = Schemas["StoredEvents"];
export type Item = [number, number, number, number];
export type PlaceAct =
  "fresh" | "add" | "duplicate" | "remove" | "spread" | "mirror" | "reverse" | "width" | "circle";

/** Two onsets are not nearer than this (s). */
const APART = 0.02;
/** Presses that follow each other more quickly than this (ms) are one change. */
const BURST = 400;
/** What an onset that is added by hand is taken for: how long (s), its pitch and strength. */
const BY_HAND = [0.25, 69, 0.8] as const;

export const useDeals = defineStore("deals", () => {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const library = useLibrary();

  const source = computed(() => session.sourceById(selection.chosen));
  const key = computed(() => source.value?.id ?? "");
  /** What quick presses have made of the places, until it is sent as one change and has come back. */
  const arranging = shallowRef<{ of: string; places: DealPlace[] } | null>(null);
  const deal = computed<Deal | undefined>(() => {
    const stored = session.document?.deals[key.value];
    return stored && arranging.value?.of === key.value
      ? { ...stored, places: arranging.value.places }
      : stored;
  });
  const events = computed<Events | undefined>(() => session.document?.events[key.value]);
  const mayEdit = computed(() => session.mayEdit && !source.value?.frozen_asset);
  /** The place that is worked on, by id. */
  const place = ref("");
  const threshold = ref(0);
  const busy = ref(false);

  /** What is dealt of every source, and what that was made of. */
  const known = shallowReactive(new Map<string, { made: unknown[]; events: Schemas["DealtEvent"][] }>());
  const dealt = computed(() => known.get(key.value)?.events ?? []);

  async function look(id: string, made: unknown[]): Promise<void> {
    const before = known.get(id);
    if (before?.made.every((one, i) => one === made[i])) return;
    known.set(id, { made, events: before?.events ?? [] });
    const path = `/api/sessions/${session.id}/sources/${id}/dealt?revision=${session.revision}`;
    try {
      const found = await get<Schemas["DealtOut"]>(path);
      if (known.get(id)?.made === made) known.set(id, { made, events: found.events });
    } catch {
      known.delete(id);
    }
  }
  watch(
    () => session.document,
    (document) => {
      for (const id of known.keys()) if (!document?.deals[id] || !document.events[id]) known.delete(id);
      for (const [id, one] of Object.entries(document?.deals ?? {}))
        if (must(document).events[id])
          void look(id, [
            one,
            must(document).events[id],
            must(document).sources[id]?.start,
            must(document).session.tempos,
          ]);
    },
    { immediate: true },
  );

  /** Where a dealt source is at a time (-1…1); undefined if it is not dealt. */
  function panAt(id: string, at: number): number | undefined {
    const found = isOn(id) ? known.get(id)?.events : undefined;
    if (!found?.length) return undefined;
    const event = must(found[Math.max(eventAt(found, at), 0)]);
    return must(must(session.document).deals[id]).places?.[event.place]?.pan;
  }

  watch(key, () => (place.value = ""));

  const make = (change: ReturnType<typeof operation>): void => {
    if (mayEdit.value) session.change({}, change);
  };

  const setting = (values: Partial<Deal>): ReturnType<typeof operation> =>
    operation("set-deal", { source: key.value, ...values });
  const set = (values: Partial<Deal>): void => make(setting(values));

  const naming = (from: Events["kind"], name: string, items: Item[]): ReturnType<typeof operation> =>
    operation("set-events", { source: key.value, from, name, items });

  async function arranged(
    places: DealPlace[],
    act: PlaceAct,
    which = "",
    count = 4,
    width = 1,
  ): Promise<DealPlace[]> {
    return post<DealPlace[]>("/api/sessions/places/arrange", { places, act, which, count, width });
  }

  /** Begin to deal: events as they were found, to fresh places. */
  async function beginWith(from: Events["kind"], name: string, items: Item[], count: number): Promise<void> {
    const operations = [naming(from, name, items)];
    if (!deal.value) {
      const places = await arranged([], "fresh", "", count);
      operations.push(setting({ on: true, places, sound: "stem" }));
    } else if (from === "onsets" && deal.value.sound === "voice") operations.push(setting({ sound: "stem" }));
    make(batch(t("deals.nameDealtToPlaces", { name: source.value?.name }), operations));
  }

  async function guarded(work: () => Promise<void>): Promise<void> {
    busy.value = true;
    try {
      await work();
    } catch (error) {
      say.wrong((error as Error).message);
    } finally {
      busy.value = false;
    }
  }

  /** Find the onsets of the stem by a threshold, and deal those. */
  const findOnsets = (at: number, count = 4): Promise<void> =>
    guarded(async () => {
      threshold.value = at;
      const query = new URLSearchParams({ revision: String(session.revision), threshold: String(at) });
      const path = `/api/sessions/${session.id}/sources/${key.value}/onsets?${query}`;
      const found = await get<Schemas["OnsetsOut"]>(path);
      if (!found.times.length) return say.careful(t("deals.noOnsetsWereFoundLower"));
      const items = found.times.map((t, i): Item => [t, BY_HAND[0], BY_HAND[1], must(found.strengths[i])]);
      await beginWith("onsets", "", items, count);
    });

  /** Take the notes of a MIDI file as the part's. */
  const takeNotes = (file: File, count = 4): Promise<void> =>
    guarded(async () => {
      const found = await postFile<Schemas["NotesOut"]>(`/api/sessions/${session.id}/notes`, file);
      await beginWith("notes", found.name, found.items, count);
      say.done(
        t("deals.itemCountNotesOfNameAre", { itemCount: found.items.length, name: found.name || file.name }),
      );
    });

  const items = computed(() => (events.value?.items ?? []) as Item[]);

  /** Add an onset by hand at a time of the piece (s), unless one is there. */
  function addOnset(at: number): void {
    const t = Math.max(at - (source.value?.start ?? 0), 0);
    if (events.value?.kind !== "onsets" || items.value.some((one) => Math.abs(one[0] - t) < APART)) return;
    const fresh: Item[] = [...items.value, [Math.round(t * 1e5) / 1e5, ...BY_HAND]];
    make(
      naming(
        "onsets",
        "",
        fresh.sort((a, b) => a[0] - b[0]),
      ),
    );
  }

  function removeEvent(index: number): void {
    const found = events.value;
    if (!found) return;
    make(
      naming(
        found.kind,
        found.name ?? "",
        items.value.filter((_, i) => i !== index),
      ),
    );
  }

  /** Put an onset somewhere else (s of the piece). */
  function moveOnset(index: number, at: number): void {
    const t = Math.max(at - (source.value?.start ?? 0), 0);
    const moved = items.value.map((one, i): Item => (i === index ? [t, one[1], one[2], one[3]] : one));
    make(
      naming(
        "onsets",
        "",
        moved.sort((a, b) => a[0] - b[0]),
      ),
    );
  }

  /** Change values of one place. */
  const setPlace = (id: string, values: Partial<Omit<DealPlace, "id">>): void => {
    if (!mayEdit.value) return;
    session.change(
      Object.fromEntries(
        Object.entries(values).map(([name, value]) => [placeControl(key.value, id, name), value as Value]),
      ),
      operation("set-place", { source: key.value, place: id, values }),
    );
  };

  /** A place as it stands, or as hands hold it. */
  const shownPlace = (place: DealPlace): DealPlace =>
    Object.fromEntries(
      Object.entries(place).map(([name, value]) => [
        name,
        session.shown(placeControl(key.value, place.id, name), value as Value),
      ]),
    ) as unknown as DealPlace;

  let acts: Promise<void> = Promise.resolve();
  const { start: sendSoon, stop: sendLater } = useTimeoutFn(() => void sendArranged(), BURST, {
    immediate: false,
  });

  /** Arrange the places: presses that follow each other quickly build on each other, and are one change. */
  function act(what: PlaceAct, which = "", count = 4, width = 1): Promise<void> {
    const of = key.value;
    acts = acts.then(() =>
      guarded(async () => {
        sendLater();
        const current = deal.value?.places ?? [];
        const places = await arranged(current, what, which, count, width);
        if (of !== key.value) return;
        arranging.value = { of, places };
        sendSoon();
      }),
    );
    return acts;
  }

  async function sendArranged(): Promise<void> {
    sendLater();
    const arrangement = arranging.value;
    if (!arrangement || !mayEdit.value) return void (arranging.value = null);
    session.change({}, operation("set-deal", { source: arrangement.of, places: arrangement.places }));
    await session.settled().catch(() => undefined);
    if (arranging.value === arrangement) arranging.value = null;
  }
  watch(key, () => void sendArranged(), { flush: "sync" });

  /** Hear one place alone, for oneself; once more, and everything sounds again. */
  function solo(id: string): void {
    const one = `${key.value}.${id}`;
    player.solo = player.solo.includes(one) ? [] : [one];
  }
  const isSoloed = (id: string): boolean => player.solo.includes(`${key.value}.${id}`);
  const isOn = (id: string): boolean => !!session.document?.deals[id]?.on && !!session.document?.events[id];

  const rhythm = computed(() => library.library?.rhythm);
  return {
    source, deal, events, items, dealt, place, threshold, busy, mayEdit, rhythm,
    set, findOnsets, takeNotes, addOnset, removeEvent, moveOnset, setPlace, shownPlace, act, solo, isSoloed, isOn, panAt,
  }; // prettier-ignore
});
