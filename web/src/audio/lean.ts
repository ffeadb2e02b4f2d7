/** The lean through the whole piece, and what it measures: asked of the server after each change. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";
import type { Schemas } from "@/api/http";
import { long } from "@/api/long";
import { usePlayer } from "./player";
import { useSession } from "@/session/session";

export type Overview = Schemas["OverviewOut"];

/** What is heard goes first (ms). */
const AFTER_CHANGE = 120;

/** What counts as leaning, for this person: more than so many dB for at least so many seconds. */
export const useTolerance = defineStore("tolerance", () => {
  const db = useLocalStorage("tolerance-db", 1.5);
  const seconds = useLocalStorage("tolerance-seconds", 4);
  const query = computed(() => ({
    tolerance_db: String(db.value),
    tolerance_seconds: String(seconds.value),
  }));
  return { db, seconds, query };
});

export const useLean = defineStore("lean", () => {
  const session = useSession();
  const player = usePlayer();
  const tolerance = useTolerance();
  const lean = shallowRef<Overview | null>(null);
  /** How far the next one is (0…1). */
  const done = ref(1);
  let abort = new AbortController();
  let timer: ReturnType<typeof setTimeout> | undefined;

  /** The stretch that the figures are of: the passage one goes round, or else the whole piece. */
  const stretch = computed(() => {
    const passage = session.passages.find((one) => one.id === player.round);
    if (!passage && player.loop)
      return { ...player.loop, title: session.grid.barsText(player.loop.start, player.loop.end) };
    if (!passage) return { start: 0, end: 0, title: t("lean.wholePiece") };
    const [start, end] = [passage.start, passage.end].map((beat) => session.grid.secondsOfBeat(beat));
    return { start: must(start), end: must(end), title: passage.name };
  });

  async function ask(): Promise<void> {
    abort.abort();
    abort = new AbortController();
    if (!session.id) return;
    const { signal } = abort;
    const query = new URLSearchParams({
      revision: String(session.revision),
      start: stretch.value.start.toFixed(3),
      end: stretch.value.end.toFixed(3),
      ...tolerance.query,
    });
    try {
      const path = `/api/sessions/${session.id}/balance?${query}`;
      const found = await long<Schemas["BalanceOut"]>(path, signal, (share) => (done.value = share));
      lean.value = found.overview;
      done.value = 1;
    } catch {
      /* aborted, or the connection is down: the next revision or reconnection asks again */
    }
  }

  watch(
    [
      () => session.id,
      () => session.revision,
      () => session.connected,
      () => tolerance.db,
      () => tolerance.seconds,
      () => stretch.value,
    ],
    ([id], [before]) => {
      if (id !== before) lean.value = null;
      clearTimeout(timer);
      abort.abort();
      if (!id) return;
      done.value = 0;
      timer = setTimeout(() => void ask(), AFTER_CHANGE);
    },
    // Who comes in at a desk that shows no lean is told of it as soon as they go to one that does.
    { immediate: true },
  );

  return { lean, done, stretch };
});
