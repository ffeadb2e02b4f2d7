/** What stands in the field: sources where they sound, or, in a return, what they send and where it stands there. */
import { useSelection } from "@/session/selection";
import type { Parameter, Return, Source } from "@/domain/model";
import { endsOf, type End } from "@/domain/ends";
import { OFF_DB } from "@/domain/format";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { stableList } from "@/ui/stable";

export interface Mark {
  source: Source;
  ends: End[];
  level: number;
  heard: boolean;
  chosen: boolean;
  /** It follows a line, or somebody holds it: it stands nowhere for long. */
  moves: boolean;
  /** How a send is placed; "direct" for the source itself. */
  kind: "direct" | "same" | "opposite" | "own";
  /** In a return: nothing of it is sent there. */
  unsent: boolean;
  /** Its own place, where its group shifts it. */
  own: number;
  shift: number;
}

/** What moves a mark. */
const MOVED: Parameter[] = ["pan", "pan_left", "pan_right", "span", "level"];

export function useMarks(to: () => Return | undefined) {
  const session = useSession();
  const player = usePlayer();
  const selection = useSelection();

  function markOf(source: Source): Mark {
    const look = (parameter: Parameter): number => session.valueAt(source, parameter, player.playhead);
    const ends = endsOf(source.mode, look);
    const base = {
      source,
      heard: player.hears(source.id, session.muted(source)),
      chosen: selection.all.includes(source.id),
      own: session.ownValueAt(source, "pan", player.playhead),
      shift: session.shiftOf(source),
      unsent: false,
      moves: MOVED.some(
        (name) =>
          session.follows(source.id, name) ||
          session.controlledByOthers.has(`${source.id}.${name}`) ||
          session.pending.has(`${source.id}.${name}`),
      ),
    };
    const room = to();
    if (!room) return { ...base, ends, level: look("level"), kind: "direct" };
    const send = session.send(source.id, room.id);
    const stands =
      send.place === "own"
        ? [{ side: "whole" as const, at: send.pan }]
        : send.place === "opposite"
          ? ends.map((end) => ({ ...end, at: -end.at }))
          : ends;
    if (send.level <= OFF_DB) {
      // What is not sent waits at the foot as one mark, however wide it is.
      const at = stands.reduce((sum, end) => sum + end.at, 0) / stands.length;
      return { ...base, ends: [{ side: "whole", at }], level: OFF_DB, kind: "same", shift: 0, unsent: true };
    }
    return { ...base, ends: stands, level: send.level, kind: send.place, shift: 0 };
  }

  return {
    marks: stableList(
      () => selection.shownSources.map(markOf),
      (mark) => mark.source.id,
    ),
  };
}
