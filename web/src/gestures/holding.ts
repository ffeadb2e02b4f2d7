/** A hand on a source's place or level: shown, heard and told while it is held, made a change or recorded. */
import { useSelection } from "@/session/selection";
import type { Parameter, Source } from "@/domain/model";
import { dragged, parametersOf, PLACING, type End, type Values } from "@/domain/ends";
import { exact } from "@/domain/parameters";
import { usePlayer } from "@/audio/player";
import { useControlRequests } from "./controlRequests";
import { useEdits } from "@/session/edits";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";

export function useHolding() {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();
  const edits = useEdits();
  const recorder = useRecorder();
  const asking = useControlRequests();
  const thing = (source: Source, parameter: string): string => `${source.id}.${parameter}`;
  const look = (source: Source) => (parameter: Parameter) =>
    session.valueAt(source, parameter, player.playhead);

  /** Whether the hand may take hold: not a listener's, and not while a colleague holds it. */
  function grasp(source: Source, among = false): boolean {
    if (!selection.all.includes(source.id) || among) selection.choose(source.id, among);
    const held = heldThing(source);
    if (held) asking.refuse(held);
    if (!session.mayEdit || held) return false;
    // A hand that only rests on an armed place holds it where it is.
    const place = lane(source, "pan");
    if (parametersOf(source).length === 1 && recorder.writes(place))
      recorder.touch(place, session.laneValueAt(place, player.playhead));
    return true;
  }

  /** The part of the source's place that a colleague holds, or that is kept for one who asked for it. */
  const heldThing = (source: Source): string | undefined =>
    PLACING.map((parameter) => thing(source, parameter)).find(
      (one) => session.holder(one) ?? asking.reservedFor(one),
    );

  /** The colleague who holds any part of the source's place. */
  function holderOf(source: Source) {
    const held = heldThing(source);
    return held ? (session.holder(held) ?? asking.reservedFor(held)) : undefined;
  }

  /** Where the source stands now, end by end. */
  const toEnd = (source: Source, side: End["side"], to: number): Values =>
    dragged(source.mode, side, exact("pan", to), look(source));

  const lane = (source: Source, parameter: string) => ({
    owner: source.id,
    parameter: parameter as Parameter,
  });

  /** Those values that are written down, and those that are not. */
  function parted(source: Source, values: Values): [Values, Values] {
    const [written, rest]: [Values, Values] = [{}, {}];
    for (const [parameter, value] of Object.entries(values))
      (recorder.writes(lane(source, parameter)) ? written : rest)[parameter as Parameter] = value;
    return [written, rest];
  }

  function move(source: Source, values: Values): void {
    const [written, rest] = parted(source, values);
    for (const [parameter, value] of Object.entries(written))
      recorder.touch(lane(source, parameter), edits.ownOf(source, parameter as Parameter, value));
    if (!Object.keys(rest).length) return;
    const isHeard = player.grasp(source, Object.keys(rest));
    for (const [parameter, value] of Object.entries(rest))
      session.hold(thing(source, parameter), edits.ownOf(source, parameter as Parameter, value), !isHeard);
    if (isHeard) player.moveHand(source);
  }

  /** The hand lets go with these values; `held` is false where they come from a key. */
  function set(source: Source, values: Values, held = true): void {
    if (!selection.all.includes(source.id)) selection.choose(source.id);
    const [written, rest] = parted(source, values);
    for (const [parameter, value] of Object.entries(written)) {
      const own = edits.ownOf(source, parameter as Parameter, value);
      if (held) {
        recorder.touch(lane(source, parameter), own);
        recorder.release(lane(source, parameter));
      } else recorder.nudge(lane(source, parameter), own);
    }
    if (!Object.keys(rest).length) return;
    edits.setValues(source, rest, player.playhead);
    player.release(true);
  }

  function drop(source: Source): void {
    for (const control of recorder.controls.values())
      if (control.owner === source.id) recorder.release(control);
    for (const [held, { ids }] of session.pending)
      if (held.startsWith(`${source.id}.`) && ids.size === 0 && recorder.start === null) session.letGo(held);
    if (!recorder.controls.size) player.release(false);
  }

  return { grasp, holderOf, heldThing, toEnd, move, set, drop };
}
