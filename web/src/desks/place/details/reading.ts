/** What the chosen source's placement loses, changes and costs in mono: asked of the core after each change. */
import { useDebounceFn, useTimeoutFn } from "@vueuse/core";
import { shallowRef, watch } from "vue";
import { get, type Schemas } from "@/api/http";
import { usePlayer } from "@/audio/player";
import { useSession } from "@/session/session";

/** A reading, and the revision that it was made at. */
export type PlacementReading = Schemas["PlacementOut"] & { revision: number };

const AFTER_CHANGE = 120;
/** After which time a reading that could not be had is asked for again (ms). */
const RETRY = 2000;
/** While it plays the reading follows the playhead in steps of this (s). */
const STEP = 0.5;

export function usePlacementReading() {
  const session = useSession();
  const player = usePlayer();
  const reading = shallowRef<PlacementReading | null>(null);
  let of = "";
  let abort = new AbortController();

  const ask = useDebounceFn(async () => {
    const source = player.chosen;
    abort.abort();
    if (!source || !session.id || !session.document?.sources[source]) return;
    const { signal } = (abort = new AbortController());
    const revision = session.revision;
    const query = `revision=${revision}&at=${(Math.floor(player.playhead / STEP) * STEP).toFixed(2)}`;
    try {
      const path = `/api/sessions/${session.id}/sources/${source}/placement?${query}`;
      const placement = await get<Schemas["PlacementOut"]>(path, signal);
      reading.value = { ...placement, revision };
      of = source;
    } catch {
      // Aborted, another has been asked for; else it is asked for again, as something may wait for it.
      if (!signal.aborted && session.connected) askAgain();
    }
  }, AFTER_CHANGE);
  const { start: askAgain } = useTimeoutFn(() => void ask(), RETRY, { immediate: false });

  watch(
    [
      () => player.chosen,
      () => session.revision,
      () => Math.floor(player.playhead / STEP),
      () => session.connected,
    ],
    () => {
      if (of !== player.chosen) reading.value = null;
      void ask();
    },
    { immediate: true },
  );

  return reading;
}
