/** What the chosen source's placement loses, changes and costs in mono: asked of the core after each change. */
import { useDebounceFn } from "@vueuse/core";
import { shallowRef, watch } from "vue";
import { get, type Schemas } from "@/api/http";
import { usePlayer } from "@/sound/player";
import { useSession } from "./session";

/** A reading, and the revision that it was made at. */
export type PlacementReading = Schemas["PlacementOut"] & { revision: number };

const AFTER_CHANGE = 120;
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
    abort = new AbortController();
    const revision = session.revision;
    const query = `revision=${revision}&at=${(Math.floor(player.playhead / STEP) * STEP).toFixed(2)}`;
    try {
      const path = `/api/sessions/${session.id}/sources/${source}/placement?${query}`;
      const found = await get<Schemas["PlacementOut"]>(path, abort.signal);
      reading.value = { ...found, revision };
      of = source;
    } catch {
      /* aborted, or away: the next change asks again */
    }
  }, AFTER_CHANGE);

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
