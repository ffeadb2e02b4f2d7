/** The Move desk's keys: tools, how near one looks, recording, and deciding on what is looked at. */
import { t } from "@/words";
import { useAlong } from "@/audio/along";
import { useMonitor } from "@/audio/monitor";
import { useMoves } from "@/session/moves";
import { useRecorder } from "@/session/recorder";
import { usePickedPoints } from "@/session/pickedPoints";
import { useSession } from "@/session/session";
import { useTakes } from "@/session/takes";
import { TOOLS, useTools } from "@/session/tools";
import { useChartView } from "@/session/view";

export const MOVE_KEYS: [keys: string, what: string, shortcuts?: string][] = [
  ["P, T, F, L, E", t("moveKeys.toolsPointsRangeFreehandLine"), "ptfle"],
  ["X", t("moveKeys.selectThePassageOrBar"), "x"],
  ["Shift+drag", t("moveKeys.selectARangeOfTime")],
  [t("moveKeys.shiftClickAPassageDouble"), t("moveKeys.onePositionThroughout")],
  [t("moveKeys.andZShiftZ"), t("moveKeys.zoomInZoomOutFit"), "z"],
  [t("moveKeys.ctrlCCtrlV"), t("moveKeys.copyTheAutomationOfThe")],
  [t("moveKeys.enterEscape"), t("moveKeys.applyThePreviewCancelIt")],
  ["A", t("moveKeys.armTheShownLaneFor"), "a"],
  [t("moveKeys.enterBackspace"), t("moveKeys.keepTheRecordedTakeDiscard")],
];

export function useMoveKeys() {
  const session = useSession();
  const view = useChartView();
  const tools = useTools();
  const moves = useMoves();
  const takes = useTakes();
  const recorder = useRecorder();
  const monitor = useMonitor();
  const along = useAlong();
  const picked = usePickedPoints();

  function arm(): void {
    if (view.lane && session.mayEdit)
      recorder.arm(view.lane, recorder.modeOf(view.lane) === "read" ? "touch" : "read");
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
    if (picked.indexes.length) picked.clear();
    else if (moves.span) moves.letGo();
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
  const withControl: Record<string, () => void> = {
    c: () => void moves.copy(),
    v: () => session.mayEdit && moves.startPasting(),
  };

  const undecided = (): boolean => !!takes.waiting || !!moves.draft;

  return { actions, withControl, undecided };
}
