/** A hand on a source's place: shown, heard and told while it is held, made a change when it lets go. */
import { useChartView } from "@/chart/view";
import { dragged, type End, type Values } from "@/geometry/ends";
import { tidy } from "@/geometry/parameters";
import { usePlayer } from "@/sound/player";
import { useEdits } from "./edits";
import { useSession, type Parameter, type Source } from "./session";

export function useHand() {
  const session = useSession();
  const player = usePlayer();
  const view = useChartView();
  const edits = useEdits();
  const thing = (source: Source, parameter: string): string => `${source.id}.${parameter}`;
  const look = (source: Source) => (parameter: Parameter) =>
    session.valueAt(source, parameter, player.playhead);

  /** Whether the hand may take hold: not a listener's, and not while a colleague holds it. */
  function grasp(source: Source, among = false): boolean {
    if (!view.selection.includes(source.id) || among) view.choose(source.id, among);
    return session.mayEdit && !holderOf(source);
  }

  /** The colleague who holds any part of the source's place. */
  function holderOf(source: Source) {
    for (const parameter of ["pan", "pan_left", "pan_right", "span"]) {
      const holder = session.holder(thing(source, parameter));
      if (holder) return holder;
    }
    return undefined;
  }

  /** Where the source stands now, end by end. */
  const toEnd = (source: Source, side: End["side"], to: number): Values =>
    dragged(source.mode, side, tidy("pan", to), look(source));

  function move(source: Source, values: Values): void {
    player.grasp(source);
    for (const [parameter, value] of Object.entries(values))
      session.hold(thing(source, parameter), edits.ownOf(source, parameter as Parameter, value));
    player.moveHand(source);
  }

  function set(source: Source, values: Values): void {
    if (!view.selection.includes(source.id)) view.choose(source.id);
    edits.setValues(source, values, player.playhead);
    player.release(true);
  }

  function drop(source: Source): void {
    for (const [held, { ids }] of session.pending)
      if (held.startsWith(`${source.id}.`) && ids.size === 0) session.letGo(held);
    player.release(false);
  }

  return { grasp, holderOf, toEnd, move, set, drop };
}
