/** A hand on a source's place: shown, heard and told while it is held, made a change when it lets go. */
import { useChartView } from "@/chart/view";
import { usePlayer } from "@/sound/player";
import { useEdits } from "./edits";
import { useSession, type Source } from "./session";

export function useHand() {
  const session = useSession();
  const player = usePlayer();
  const view = useChartView();
  const edits = useEdits();
  const thing = (source: Source): string => `${source.id}.pan`;

  /** Whether the hand may take hold: not a listener's, and not while a colleague holds it. */
  function grasp(source: Source): boolean {
    view.choose(source.id);
    return session.mayEdit && !session.holder(thing(source));
  }

  function move(source: Source, pan: number): void {
    if (!session.pending.has(thing(source))) player.grasp(source, pan);
    session.hold(thing(source), pan);
    player.moveHand(source, pan);
  }

  function set(source: Source, pan: number): void {
    view.choose(source.id);
    edits.setValue(source, "pan", pan, player.playhead);
    player.release(true);
  }

  function drop(source: Source): void {
    if (session.pending.get(thing(source))?.ids.size === 0) session.letGo(thing(source));
    player.release(false);
  }

  return { grasp, move, set, drop };
}
