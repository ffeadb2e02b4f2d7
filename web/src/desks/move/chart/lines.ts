/** The lines that the chart draws: every source's, and those of the lane that is worked on. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { LaneName, Parameter, Source, Point } from "@/domain/model";
import { computed } from "vue";
import { kindAndId } from "@/domain/owners";
import { useMoves } from "@/session/moves";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";
import { useWaveforms } from "@/session/waveforms";
import { stable } from "@/ui/stable";
import { dashOf, inkOf } from "@/ui/theme";
import type { Line } from "@/ui/drawing/paintLines";
import { useTools } from "@/session/tools";
import { useChartView } from "@/session/view";

const DIMMED = 0.14;
const PLACES: Parameter[] = ["pan", "pan_left", "pan_right", "span"];

export function useLines() {
  const session = useSession();
  const selection = useSelection();
  const view = useChartView();
  const tools = useTools();
  const moves = useMoves();
  const waveforms = useWaveforms();
  const recorder = useRecorder();

  const isPlace = computed(() => view.parameter.startsWith("pan"));
  /** Whether the lateral field, on which all sources stand, is what is shown. */
  const isField = computed(() => isPlace.value && !view.of);

  const shiftOf = ({ owner: source, parameter }: LaneName): number => {
    const found = parameter.startsWith("pan") && session.sourceById(source);
    return found ? session.shiftOf(found) : 0;
  };
  /** Of the chosen source also as a hand drags it: the others' lines are not drawn anew for that. */
  const pointsOf = ({ owner: source, parameter }: LaneName): Point[] => {
    const dragged = source === selection.chosen || view.of ? view.dragged : null;
    if (dragged && dragged.key === session.laneKey(source, parameter)) return dragged.points;
    return session.points(source, parameter);
  };

  function lineOf(lane: LaneName, source: Source | undefined, chosen: boolean): Line {
    return {
      colour: inkOf(source?.colour ?? 0),
      dash: dashOf(source?.colour ?? 0),
      chosen,
      silent: !!source && session.muted(source),
      points: pointsOf(lane),
      off: session.isOff(lane.owner, lane.parameter),
      shift: shiftOf(lane),
      value:
        chosen && recorder.writes(lane)
          ? session.staticOf(lane.owner, lane.parameter)
          : session.shown(`${lane.owner}.${lane.parameter}`, session.staticOf(lane.owner, lane.parameter)),
    };
  }

  /** A source's lines: its place, both sides', or the ends of its span; bold those that are worked on. */
  function linesOf(source: Source): Line[] {
    const chosen = source.id === selection.chosen && !view.of;
    const line = (parameter: Parameter, bold: boolean): Line =>
      lineOf({ owner: source.id, parameter }, source, bold);
    const wave = chosen && tools.waveform ? waveforms.of(source) : undefined;
    if (!isPlace.value) return [{ ...line(view.parameter, chosen), wave }];
    if (source.mode !== "sides") {
      const spread = source.mode === "span" ? line("span", false) : undefined;
      return [{ ...line("pan", chosen), spread, wave }];
    }
    return (["pan_left", "pan_right"] as const).map((one, side) => ({
      ...line(one, chosen && (one === view.parameter || moves.isAlong({ owner: source.id, parameter: one }))),
      wave: wave && { ...wave, channels: [must(wave.channels[side])] },
    }));
  }

  /** Whether a colleague holds what a source's line shows: it moves, and the others' are not painted anew for it. */
  const isPreviewed = (source: Source): boolean =>
    (isPlace.value ? PLACES : [view.parameter]).some((one) =>
      session.controlledByOthers.has(`${source.id}.${one}`),
    );
  const previewedIds = stable(() => selection.shownSources.filter(isPreviewed).map(({ id }) => id));

  function othersLines(isWanted: (source: Source) => boolean): Line[] {
    if (tools.others === "hidden" || view.of) return [];
    const strength = tools.others === "dimmed" ? DIMMED : isPlace.value ? undefined : 0.25;
    return selection.shownSources
      .filter((source) => source.id !== selection.chosen && isWanted(source))
      .flatMap((source) => linesOf(source).map((line) => ({ ...line, strength })));
  }
  const others = computed(() => othersLines(({ id }) => !previewedIds.value.includes(id)));
  const previewed = computed(() => othersLines(({ id }) => previewedIds.value.includes(id)));

  const chosen = computed<Line[]>(() => {
    const source = session.sourceById(selection.chosen);
    if (view.of && view.lane) {
      const [kind, id] = kindAndId(view.of);
      const colour = kind === "return" ? inkOf(session.document?.returns[id]?.colour ?? 0) : undefined;
      return [{ ...lineOf(view.lane, source, true), ...(colour ? { colour } : {}) }];
    }
    return source ? linesOf(source).sort((a, b) => Number(a.chosen) - Number(b.chosen)) : [];
  });

  return { isField, others, previewed, chosen, shiftOf };
}
