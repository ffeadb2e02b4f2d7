/** Where one is in a session: desk, selection, playhead and solos. Kept in this browser, for each session its own. */
import { useSelection } from "@/session/selection";
import { useEventListener, watchThrottled } from "@vueuse/core";
import { usePlayer } from "@/audio/player";
import { useSession } from "@/session/session";

interface Place {
  desk: string;
  selection: string[];
  playhead: number;
  solo: string[];
}

const KEPT_EVERY = 500;
const keyOf = (id: string): string => `needle-where-${id}`;

/** Where one was in a session last, as far as this browser knows. */
export function lastPlace(id: string): Partial<Place> {
  try {
    return JSON.parse(localStorage.getItem(keyOf(id)) ?? "{}") as Partial<Place>;
  } catch {
    return {};
  }
}

export function useWhere(desk: () => string) {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();

  function keep(): void {
    if (!session.id || !session.document) return;
    const place: Place = {
      desk: desk(),
      selection: [...selection.all],
      playhead: player.playhead,
      solo: [...player.solo],
    };
    try {
      localStorage.setItem(keyOf(session.id), JSON.stringify(place));
    } catch {
      // Where nothing may be kept, one begins anew.
    }
  }

  /** Be where one was; false where that is not known, or there no longer. */
  function goBack(id: string): boolean {
    const { selection: chosen = [], playhead = 0, solo = [] } = lastPlace(id);
    const there = chosen.filter((one) => session.sourceById(one));
    player.solo = solo.filter((one) => session.sourceById(one.split(".")[0]));
    if (playhead > 0 && playhead < session.length) player.seek(playhead);
    if (there.length) selection.chooseThese(there);
    return there.length > 0;
  }

  watchThrottled([desk, () => selection.all, () => player.playhead, () => player.solo], keep, {
    throttle: KEPT_EVERY,
    trailing: true,
    deep: true,
  });
  useEventListener(window, "pagehide", keep);

  return { goBack };
}
