/** Where one is in a session: desk, selection, playhead and solos. Kept in this browser, for each session its own. */
import { useEventListener, watchThrottled } from "@vueuse/core";
import { usePlayer } from "@/audio/player";
import { useSession } from "@/session/session";
import { useChartView } from "@/session/view";

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
  const view = useChartView();

  function keep(): void {
    if (!session.id || !session.document) return;
    const place: Place = {
      desk: desk(),
      selection: [...view.selection],
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
    const { selection = [], playhead = 0, solo = [] } = lastPlace(id);
    const there = selection.filter((one) => session.sourceById(one));
    player.solo = solo.filter((one) => session.sourceById(one.split(".")[0]));
    if (playhead > 0 && playhead < session.length) player.seek(playhead);
    if (there.length) view.chooseThese(there);
    return there.length > 0;
  }

  watchThrottled([desk, () => view.selection, () => player.playhead, () => player.solo], keep, {
    throttle: KEPT_EVERY,
    trailing: true,
    deep: true,
  });
  useEventListener(window, "pagehide", keep);

  return { goBack };
}
