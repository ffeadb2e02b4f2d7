/** What the chosen source's placement loses, changes and costs in mono: asked of the core after each change. */
import { useSelection } from "@/session/selection";
import { computed } from "vue";
import { useAsked } from "@/api/asked";
import { get, type Schemas } from "@/api/http";
import { usePlayer } from "@/audio/player";
import { useSession } from "@/session/session";

/** A reading, and what it was made of. */
export type PlacementReading = Schemas["PlacementOut"] & { revision: number; source: string };

const AFTER_CHANGE = 120;
/** While it plays the reading follows the playhead in steps of this (s). */
const STEP = 0.5;

export function usePlacementReading() {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();

  const { answer } = useAsked<PlacementReading>(
    () => {
      const source = selection.chosen;
      if (!source || !session.id || !session.document?.sources[source]) return null;
      const query = `revision=${session.revision}&at=${(Math.floor(player.playhead / STEP) * STEP).toFixed(2)}`;
      return `/api/sessions/${session.id}/sources/${source}/placement?${query}`;
    },
    {
      keeps: true,
      rests: AFTER_CHANGE,
      holds: true,
      insists: true,
      ask: async (path, signal) => {
        const revision = Number(new URLSearchParams(path.split("?")[1]).get("revision"));
        const source = path.split("/").at(-2) ?? "";
        return { ...(await get<Schemas["PlacementOut"]>(path, signal)), revision, source };
      },
    },
  );

  // What was asked of another source says nothing of this one.
  return computed(() => (answer.value?.source === selection.chosen ? answer.value : null));
}
