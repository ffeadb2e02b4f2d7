/** One source alone for a while, on its own stretch of time: for oneself, and then back to where one was. */
import { useSelection } from "@/session/selection";
import type { Source } from "@/domain/model";
import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { get, type Schemas } from "@/api/http";
import { useChartView } from "@/session/view";
import { usePlayer } from "./player";
import { say } from "@/ui/say";
import { useSession } from "@/session/session";

type Stretch = Schemas["SoundingOut"];

interface Before {
  playhead: number;
  round: string | null;
  loop: { start: number; end: number } | null;
  solo: string[];
  alone: boolean;
  top: number;
  scale: number;
  selection: string[];
}

export const useAlone = defineStore("alone", () => {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const view = useChartView();
  const id = ref("");
  const before = shallowRef<Before | null>(null);
  const source = computed(() => session.sourceById(id.value));
  /** When it sounds (s). */
  const stretch = shallowRef<Stretch | null>(null);

  async function open(one: Source): Promise<void> {
    const path = `/api/sessions/${session.id}/sources/${one.id}/sounding?revision=${session.revision}`;
    let found: Stretch;
    try {
      found = await get<Stretch>(path);
    } catch (error) {
      return say.wrong((error as Error).message);
    }
    before.value = {
      playhead: player.playhead,
      round: player.round,
      loop: player.loop,
      solo: [...player.solo],
      alone: selection.alone,
      top: view.top,
      scale: view.scale,
      selection: [...selection.all],
    };
    id.value = one.id;
    selection.choose(one.id);
    selection.alone = true;
    player.goRoundPassage(null);
    player.solo = [one.id];
    stretch.value = found;
    player.span = found;
    if (player.playhead < found.start || player.playhead >= found.end) player.seek(found.start);
    view.fit(found.start, found.end);
  }

  /** Back to everything, where one was. */
  function close(): void {
    const was = before.value;
    id.value = "";
    player.span = null;
    before.value = null;
    if (!was) return;
    selection.chooseThese(was.selection);
    selection.alone = was.alone;
    view.scale = was.scale;
    view.top = was.top;
    player.solo = was.solo;
    [player.round, player.loop] = [was.round, was.loop];
    player.seek(was.playhead);
  }

  /** Leave it without going back: another session is opened. */
  function forget(): void {
    id.value = "";
    before.value = null;
  }

  return { id, source, stretch, open, close, forget };
});
