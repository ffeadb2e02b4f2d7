/** The Move desk's keys: tools, how near one looks, recording, and deciding on what is looked at. */
import { useAlong } from "@/sound/along";
import { useMonitor } from "@/sound/monitor";
import { useMoves } from "@/session/moves";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";
import { useTakes } from "@/session/takes";
import { usePlayer } from "@/sound/player";
import { TOOLS, useTools } from "./tools";
import { useChartView } from "./view";

export const MOVE_KEYS: [string, string][] = [
  ["P, T, F, L, E", "the pointer: points, stretch, freehand, line, steps"],
  ["X", "pick the passage at the playhead, or its bar; its edges are typed, dragged or nudged with ↑ ↓"],
  ["Shift+drag", "pick a stretch of time; dragged by its line, it is shifted"],
  ["Shift+click a passage, double-click in it", "one place all through it"],
  ["+ and −, Z, Shift+Z", "nearer, farther; fit the stretch or passage; everything"],
  ["Ctrl+C, Ctrl+V", "take the stretch's move along; put it down at the playhead"],
  ["Enter, Escape", "make what you look at; leave it as it was"],
  ["A", "arm what is shown for recording (touch), or read again"],
  ["Enter, Backspace", "keep the recorded take; drop it"],
];

export function useMoveKeys() {
  const session = useSession();
  const player = usePlayer();
  const view = useChartView();
  const tools = useTools();
  const moves = useMoves();
  const takes = useTakes();
  const recorder = useRecorder();
  const monitor = useMonitor();
  const along = useAlong();

  function arm(): void {
    if (view.lane && session.mayEdit)
      recorder.arm(view.lane, recorder.modeOf(view.lane) === "read" ? "touch" : "read");
  }

  function paste(): void {
    const copied = moves.clip;
    if (!copied || !session.mayEdit) return;
    const own =
      player.chosen && copied.from.owner.includes(":") === false ? player.chosen : copied.from.owner;
    void moves.lookPasted([{ owner: own, at: player.playhead }], false, true);
  }

  /** Whether there was something to decide. */
  function decide(yes: boolean): boolean {
    if (takes.waiting) {
      if (yes) takes.keep();
      else takes.drop();
    } else if (moves.draft) {
      if (yes) moves.apply();
      else moves.leave();
    } else return false;
    return true;
  }

  function escape(): void {
    if (decide(false)) return;
    if (along.tab) return along.leave();
    if (moves.span) moves.letGo();
    else tools.tool = "points";
    if (monitor.moves) monitor.offerMoves(null);
  }

  const actions: Record<string, () => void> = {
    "+": () => view.zoom(1.5, view.height / 2),
    "=": () => view.zoom(1.5, view.height / 2),
    "-": () => view.zoom(1 / 1.5, view.height / 2),
    z: () => moves.fit(),
    Z: () => view.fit(0, session.length),
    a: arm,
    x: () => moves.pickHere(),
    Enter: () => void decide(true),
    Escape: escape,
    Backspace: () => takes.waiting && takes.drop(),
  };
  for (const one of TOOLS)
    actions[one.key] = () => {
      if (session.mayEdit || one.name === "range" || one.name === "points") tools.tool = one.name;
    };
  const withControl: Record<string, () => void> = { c: () => void moves.copy(), v: paste };

  const undecided = (): boolean => !!takes.waiting || !!moves.draft;

  return { actions, withControl, undecided };
}
