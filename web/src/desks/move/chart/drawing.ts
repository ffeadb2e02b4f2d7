/** Drawing on the chart: freehand, one straight line, or steps on the grid; made as one change when the hand lets go. */
import { must } from "@/domain/must";
import { ref, shallowRef } from "vue";
import { useMoves } from "@/session/moves";
import { useSession } from "@/session/session";
import { useTools } from "@/session/tools";
import { useChartView } from "@/session/view";

type Way = [number, number][];

/** Samples nearer in time than this take each other's place (s). */
const SAME = 0.004;

export function useDrawing() {
  const session = useSession();
  const view = useChartView();
  const tools = useTools();
  const moves = useMoves();
  const drawing = shallowRef<{ way: Way; stepped: boolean } | null>(null);
  const last = ref<[number, number]>([0, 0]);

  const snapped = (at: number, free: boolean): number =>
    Math.min(Math.max(session.grid.snap(at, free ? 0 : view.gridParts), 0), session.length);

  function begin(at: number, value: number, free: boolean): void {
    const start: [number, number] = [tools.tool === "free" ? at : snapped(at, free), value];
    last.value = start;
    drawing.value = { way: [start], stepped: tools.tool === "steps" };
  }

  /** Everything between the last sample and this one is drawn over. */
  function overdrawn(way: Way, at: number, value: number): Way {
    const [before] = last.value;
    const [low, high] = [Math.min(before, at) - SAME, Math.max(before, at) + SAME];
    const kept = way.filter(([t]) => t < low || t > high || t === before);
    return [
      ...kept.filter(([t]) => Math.abs(t - at) > SAME || t === before),
      [at, value] as [number, number],
    ].sort((a, b) => a[0] - b[0]);
  }

  function stepped(way: Way, at: number, value: number): Way {
    const parts = view.gridParts || 4;
    const found = new Map(way);
    const [from, to] = [Math.min(last.value[0], at), Math.max(last.value[0], at)];
    for (let line = cell(from); line <= to + 1e-6; line = session.grid.step(line, 1, parts)) {
      found.set(line, value);
      if (line >= session.length) break;
    }
    return [...found].sort((a, b) => a[0] - b[0]);
  }

  /** The start of the grid's cell in which a time lies. */
  function cell(at: number): number {
    const near = session.grid.snap(at, view.gridParts || 4);
    return near <= at + 1e-6 ? near : session.grid.step(near, -1, view.gridParts || 4);
  }

  function go(at: number, value: number, free: boolean): void {
    const now = drawing.value;
    if (!now) return;
    const way =
      tools.tool === "free"
        ? overdrawn(now.way, at, value)
        : tools.tool === "steps"
          ? stepped(now.way, at, value)
          : [must(now.way[0]), [snapped(at, free), value] as [number, number]];
    if (tools.tool !== "straight") last.value = [at, value];
    drawing.value = { ...now, way };
  }

  async function end(): Promise<void> {
    const now = drawing.value;
    const lane = view.lane;
    if (!now || !lane || now.way.length < 1) return void (drawing.value = null);
    const way = [...now.way].sort((a, b) => a[0] - b[0]);
    const own = way.map(([t, value]): [number, number] => [t, value]);
    const first = must(own[0])[0];
    const until = now.stepped
      ? session.grid.step(must(own.at(-1))[0], 1, view.gridParts || 4)
      : must(own.at(-1))[0];
    if (until - first >= 0.03)
      await moves.atOnce(
        [lane],
        { start: first, end: until },
        { kind: "draw", samples: own, shape: now.stepped ? "hold" : "straight" },
      );
    drawing.value = null;
  }

  const leave = (): void => void (drawing.value = null);

  return { drawing, begin, go, end, leave };
}
