<script setup lang="ts">
/** The chart: time runs down, left is left. Every source's line, the lean behind them, and what a hand works on. */
import { useSelection } from "@/session/selection";
import type { Point, Source } from "@/domain/model";
import { must } from "@/domain/must";
import { t } from "@/words";
import { useElementBounding, useEventListener, useRafFn } from "@vueuse/core";
import { computed, ref, watch, watchEffect } from "vue";
import { endsOf } from "@/domain/ends";
import { leanText } from "@/domain/format";
import { freshId, operation, useEdits } from "@/session/edits";
import { useLean } from "@/audio/lean";
import { useMoves } from "@/session/moves";
import { usePickedPoints } from "@/session/pickedPoints";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { axisFor, MARGIN } from "@/ui/drawing/axis";
import CommentFlags from "@/features/comments/CommentFlags.vue";
import ChartPaper from "./ChartPaper.vue";
import ChartPoints from "./ChartPoints.vue";
import ChartRange from "./ChartRange.vue";
import { useDrawing } from "./drawing";
import { useLines } from "./lines";
import { leanX } from "@/ui/drawing/paint";
import SideNames from "./SideNames.vue";
import PassageEdit from "./PassageEdit.vue";
import { usePinch } from "./pinch";
import Playhead from "./Playhead.vue";
import Colleagues from "@/shell/chart/Colleagues.vue";
import Ribs from "@/shell/chart/Ribs.vue";
import { useTools } from "@/session/tools";
import { useChartView } from "@/session/view";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{ width: number; height: number }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const view = useChartView();
const edits = useEdits();
const lean = useLean();
const tools = useTools();
const moves = useMoves();
const picked = usePickedPoints();
const lines = useLines();
const pinch = usePinch();
const { drawing, ...draw } = useDrawing();

const surface = ref<SVGSVGElement>();
const axis = computed(() => axisFor(view.parameter, props.width));
const y = (at: number): number => (at - view.top) * view.scale;

const flags = computed(() =>
  !lines.isField.value
    ? []
    : (lean.lean?.stretches ?? []).map((stretch) => {
        const text = t("chart.leansForSeconds", {
          lean: leanText(stretch.mean_db),
          seconds: Math.round(stretch.end - stretch.start),
        });
        const right = stretch.mean_db > 0;
        const x = leanX(axis.value, stretch.worst_db) + (right ? 10 : -10);
        const width = text.length * 7 + 14;
        const left = right ? Math.min(x, props.width - width - 4) : Math.max(x - width, MARGIN.left);
        return { text, right, width, left, y: y((stretch.start + stretch.end) / 2) };
      }),
);

const { top: paperTop } = useElementBounding(surface);
watchEffect(() => {
  view.height = props.height;
  view.paperTop = paperTop.value;
});

useRafFn(() => {
  if (player.playing) view.show(player.playhead);
});
watch(
  () => player.playhead,
  (at) => !player.playing && view.show(at),
);

useEventListener(
  surface,
  "wheel",
  (event: WheelEvent) => {
    event.preventDefault();
    const box = must(surface.value).getBoundingClientRect();
    if (event.ctrlKey || event.metaKey) view.zoom(Math.exp(-event.deltaY * 0.002), event.clientY - box.top);
    else view.scrollBy(event.deltaY);
  },
  { passive: false },
);

/** Where an event is on the paper: from the left (px), and in the piece (s). */
function placeOf(event: MouseEvent): { px: number; at: number } {
  const box = must(surface.value).getBoundingClientRect();
  const at = view.top + (event.clientY - box.top) / view.scale;
  return { px: event.clientX - box.left, at: Math.min(Math.max(at, 0), session.length) };
}

/** What the lane that is worked on would have at a place on the paper. */
function valueAt(px: number, free: boolean): number {
  const value = tools.toValue(view.parameter, axis.value.value(px), free);
  const source = session.sourceById(view.lane?.owner);
  return source ? edits.ownOf(source, view.parameter, value) : value;
}

/** How near (px) a press must be to a line to be on it. */
const ON_LINE = 9;
const distanceTo = (source: Source, px: number, at: number): number =>
  Math.min(
    ...endsOf(source.mode, (parameter) => session.valueAt(source, parameter, at)).map((end) =>
      Math.abs(axis.value.x(end.at) - px),
    ),
  );

/** The source whose line a place on the chart is on: the chosen one's first, and of the others only those drawn. */
function lineAt(px: number, at: number): string | null {
  const chosen = session.sourceById(selection.chosen);
  if (chosen && distanceTo(chosen, px, at) < ON_LINE) return chosen.id;
  const drawn = tools.others === "hidden" || view.of ? [] : selection.shownSources;
  const [nearest] = drawn
    .map((source) => ({ id: source.id, away: distanceTo(source, px, at) }))
    .filter(({ away }) => away < ON_LINE)
    .sort((a, b) => a.away - b.away);
  return nearest?.id ?? null;
}
/** What was worked on before a press chose another line: two presses edit that, not what the first one hit. */
let chosenBefore: string | null = null;
let pressedLine: string | null = null;

/** What a press on the paper has begun. */
type Gesture = "passage" | "pick" | "draw" | "carry" | "band" | "finger";
const gesture = ref<Gesture | null>(null);
const from = ref({ px: 0, at: 0, value: 0, y: 0 });

function gestureAt(event: PointerEvent, px: number, at: number): Gesture | null {
  if (px < MARGIN.left) return "passage";
  if (event.pointerType === "touch" && (tools.tool === "points" || !session.mayEdit)) return "finger";
  if (["range", "points"].includes(tools.tool) && isOnLine(px, at)) return "carry";
  if (tools.tool === "range" || event.shiftKey) return "pick";
  if (!session.mayEdit || !view.lane) return null;
  return tools.tool === "points" ? "band" : "draw";
}

/** Whether a place is on the line of the lane that is worked on, inside the stretch. */
function isOnLine(px: number, at: number): boolean {
  const [span, lane] = [moves.span, view.lane];
  if (!span || !lane || !session.mayEdit || at < span.start || at > span.end) return false;
  return Math.abs(axis.value.x(session.laneValueAt(lane, at) + lines.shiftOf(lane)) - px) < 10;
}

const drag = usePointerDrag({ start: begin, move: goOn, end: finish, cancel: callOff });

function onDown(event: PointerEvent): void {
  pinch.down(event);
  if (pinch.two()) drag.cancel();
  else drag.down(event, undefined);
}

function onMove(event: PointerEvent): void {
  if (pinch.move(event, must(surface.value).getBoundingClientRect().top)) drag.cancel();
  else drag.follow.pointermove(event);
}

function onUp(event: PointerEvent): void {
  pinch.up(event);
  drag.follow.pointerup(event);
}

function onCancel(event: PointerEvent): void {
  pinch.up(event);
  drag.cancel();
}

/** Whether a press on the paper begins something; the line that lies under one that does not is chosen. */
function begin(event: PointerEvent): Element | boolean {
  const { px, at } = placeOf(event);
  gesture.value = gestureAt(event, px, at);
  from.value = { px, at, value: axis.value.value(px), y: event.clientY };
  if (gesture.value === "passage") drawnTo.value = at;
  if (gesture.value === "draw") draw.begin(at, valueAt(px, event.altKey), event.altKey);
  if (gesture.value && gesture.value !== "finger" && gesture.value !== "band") return must(surface.value);
  if (event.detail < 2) chosenBefore = selection.chosen;
  const near = lines.isField.value ? lineAt(px, at) : null;
  pressedLine = near && near !== selection.chosen && event.detail < 2 ? near : null;
  // A frame may begin on a line: it is chosen only if it is pressed and let go.
  if (pressedLine && gesture.value !== "band") selection.choose(pressedLine);
  return !!gesture.value && must(surface.value);
}

function goOn(event: PointerEvent): void {
  const { px, at } = placeOf(event);
  if (gesture.value === "passage") drawnTo.value = at;
  if (gesture.value === "draw") draw.go(at, valueAt(px, event.altKey), event.altKey);
  if (gesture.value === "pick" && Math.abs(event.clientY - from.value.y) > 3) {
    const parts = event.altKey ? 0 : view.gridParts;
    moves.pick(session.grid.snap(from.value.at, parts), session.grid.snap(at, parts));
  }
  if (gesture.value === "carry") carry(event, px, at);
  if (gesture.value === "band") band.value = bandTo(px, at);
  if (gesture.value === "finger") {
    view.scrollBy(from.value.y - event.clientY);
    from.value = { ...from.value, y: event.clientY };
  }
}

function finish(event: PointerEvent): void {
  const was = gesture.value;
  const still =
    Math.abs(event.clientY - from.value.y) <= 3 && Math.abs(placeOf(event).px - from.value.px) <= 2;
  if (was === "passage") finishPassage();
  if (was === "draw") void draw.end();
  if (was === "pick" && still) moves.letGo();
  if (was === "carry" && carried.value) void finishCarrying();
  if (was === "band") {
    if (still && pressedLine) selection.choose(pressedLine);
    if (still && !event.ctrlKey && !event.metaKey) picked.clear();
    else if (!still) pickInBand(event.ctrlKey || event.metaKey || event.shiftKey);
  }
  stop();
}

/** What the picked stretch is being dragged by its line: across, or along time; whichever it was dragged first. */
const carried = ref<{ kind: "shift" | "move"; by: number } | null>(null);
const STILL = 3;

function carry(event: PointerEvent, px: number, at: number): void {
  const [across, along] = [Math.abs(px - from.value.px), Math.abs(event.clientY - from.value.y)];
  if (!carried.value && Math.max(across, along) <= STILL) return;
  const kind = carried.value?.kind ?? (along > across ? "move" : "shift");
  const start = must(moves.span).start;
  const by =
    kind === "shift"
      ? Math.round((axis.value.value(px) - from.value.value) * 100) / 100
      : session.grid.snap(start + at - from.value.at, event.altKey ? 0 : view.gridParts) - start;
  if (carried.value?.by === by) return;
  carried.value = { kind, by };
  void moves.look(carried.value);
}

/** The stretch stays where its line was dragged to, and stays picked there. */
async function finishCarrying(): Promise<void> {
  const [made, span] = [must(carried.value), must(moves.span)];
  if (!made.by) return moves.leave();
  await moves.look(made);
  moves.apply();
  if (made.kind === "move") moves.pick(span.start + made.by, span.end + made.by);
}

/** A frame drawn around points, in px across and s along. */
const band = ref<{ left: number; right: number; start: number; end: number } | null>(null);
const bandTo = (px: number, at: number) => ({
  left: Math.min(px, from.value.px), right: Math.max(px, from.value.px),
  start: Math.min(at, from.value.at), end: Math.max(at, from.value.at),
}); // prettier-ignore

function pickInBand(besides: boolean): void {
  const [frame, lane] = [band.value, view.lane];
  if (!frame || !lane) return;
  const isInside = (point: Point): boolean => {
    const x = axis.value.x(point.value + lines.shiftOf(lane));
    return point.t >= frame.start && point.t <= frame.end && x >= frame.left && x <= frame.right;
  };
  picked.pick(session.points(lane.owner, lane.parameter).filter(isInside), besides);
}

/** What was begun is not made. */
function callOff(): void {
  if (carried.value) moves.leave();
  stop();
}

function stop(): void {
  gesture.value = band.value = carried.value = null;
  draw.leave();
}

/** A stretch of bars drawn on the margin: it becomes a passage. Without drawing, the playhead goes there. */
const drawnTo = ref(0);
const editing = ref<string | null>(null);
const DRAWN = 8;
const drawn = computed(() => {
  if (gesture.value !== "passage" || Math.abs(drawnTo.value - from.value.at) * view.scale < DRAWN)
    return null;
  const edges = [from.value.at, drawnTo.value].map((at) => session.grid.nearestBar(at)).sort((a, b) => a - b);
  return edges[0] === edges[1] ? null : { start: must(edges[0]), end: must(edges[1]) };
});
const edited = computed(() => session.passages.find((one) => one.id === editing.value));

function finishPassage(): void {
  const made = drawn.value;
  if (!made || !session.mayEdit) {
    player.seek(session.grid.snap(from.value.at, view.gridParts));
    return;
  }
  const id = freshId("passage");
  const [start, end] = [session.grid.quarterAt(made.start), session.grid.quarterAt(made.end)];
  edits.make(
    operation("add-passage", {
      id,
      name: t("chart.passagePassageCount", { passageCount: session.passages.length + 1 }),
      start,
      end,
    }),
  );
  editing.value = id;
}

function onDouble(event: MouseEvent): void {
  const { px, at } = placeOf(event);
  if (chosenBefore && chosenBefore !== selection.chosen) selection.choose(chosenBefore);
  if (!view.lane || !session.mayEdit || px < MARGIN.left) return;
  const { owner: source } = view.lane;
  const { span } = moves;
  if (span && at > span.start && at < span.end) {
    // One place all through the stretch: a passage has its place in two presses.
    const value = valueAt(px, event.altKey);
    return void moves.atOnce([view.lane], span, { kind: "hold", value });
  }
  if (tools.tool !== "points") return;
  const t = session.grid.snap(at, event.altKey ? 0 : view.gridParts);
  edits.addPoint(source, view.parameter, t, valueAt(px, event.altKey));
  view.point = session.points(source, view.parameter).findIndex((point) => point.t === t);
}
</script>

<template>
  <div class="chart" :style="{ height: `${height}px` }">
    <ChartPaper :width="width" :height="height" :axis="axis" :drawing="drawing" />
    <svg
      ref="surface"
      :class="tools.tool"
      :width="width"
      :height="height"
      role="group"
      :aria-label="$t('chart.chartTimeRunsDownThe')"
      @pointerdown="onDown"
      @pointermove="onMove"
      @pointerup="onUp"
      @pointercancel="onCancel"
      @dblclick="onDouble"
    >
      <rect
        v-if="drawn"
        class="drawn"
        x="4"
        :y="y(drawn.start)"
        :width="width"
        :height="(drawn.end - drawn.start) * view.scale"
      />
      <rect
        v-if="band"
        class="drawn band"
        :x="band.left"
        :y="y(band.start)"
        :width="band.right - band.left"
        :height="(band.end - band.start) * view.scale"
      />
      <g v-for="(flag, i) in flags" :key="i" class="flag" :class="{ right: flag.right }">
        <rect :x="flag.left" :y="flag.y - 12" :width="flag.width" height="24" rx="3" />
        <text :x="flag.left + 8" :y="flag.y + 4">{{ flag.text }}</text>
      </g>
      <SideNames v-if="lines.isField.value" :axis="axis" :height="height" />
      <Colleagues :width="width" :height="height" :top="view.top" :scale="view.scale" />
      <CommentFlags :width="width" />
      <ChartRange :width="width" />
      <ChartPoints v-if="view.lane && tools.tool === 'points'" :lane="view.lane" :width="width" />
    </svg>
    <Ribs :top="view.top" :scale="view.scale" :height="height" @edit="editing = $event" />
    <PassageEdit
      v-if="edited"
      :key="edited.id"
      :passage="edited"
      :top="Math.min(Math.max(y(session.grid.secondsOfBeat(edited.start)), 8), height - 140)"
      @done="editing = null"
    />
    <Playhead :width="width" />
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  /* Not hidden: what has the focus out of sight must not scroll the paper away. */
  overflow: clip;
  background: var(--paper);
}
svg {
  position: absolute;
  inset: 0;
  display: block;
  will-change: transform;
}
svg {
  touch-action: none;
  user-select: none;
}
svg.free,
svg.straight,
svg.steps {
  cursor: crosshair;
}
svg.range {
  cursor: row-resize;
}
.drawn {
  fill: var(--lamp-wash);
  stroke: var(--lamp);
}
.band {
  fill: none;
  stroke-dasharray: 3 3;
}
.flag {
  pointer-events: none;
}
.flag rect {
  fill: var(--raised);
  stroke: var(--left);
}
.flag text {
  font-size: 12px;
  font-weight: 600;
  fill: var(--left);
}
.flag.right rect {
  stroke: var(--right);
}
.flag.right text {
  fill: var(--right);
}
</style>
