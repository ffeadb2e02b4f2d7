<script setup lang="ts">
/** The points of the lane that is worked on: drag them, nudge them with the keys, delete and reshape them. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { LaneName, Point } from "@/domain/model";
import { computed, ref } from "vue";
import { clamp } from "@/domain/format";
import { FACES, tidy } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
import { usePickedPoints } from "@/session/pickedPoints";
import { useSession } from "@/session/session";
import { inkOf } from "@/ui/theme";
import { axisFor } from "@/ui/drawing/axis";
import { bent, reshaped, SHAPES } from "./shapes";
import { useTools } from "@/session/tools";
import { useChartView } from "@/session/view";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{ lane: LaneName; width: number }>();
const session = useSession();
const view = useChartView();
const selection = useSelection();
const edits = useEdits();
const tools = useTools();
const picked = usePickedPoints();

/** A place is drawn where it results, shifted with its group. */
const source = computed(() => session.sourceById(props.lane.owner));
const shift = computed(() =>
  source.value && view.parameter.startsWith("pan") ? session.shiftOf(source.value) : 0,
);
const name = computed(() => view.nameOf(props.lane.owner));
const ink = computed(() => inkOf(source.value?.colour ?? session.sourceById(selection.chosen)?.colour ?? 0));
const axis = computed(() => {
  const found = axisFor(view.parameter, props.width);
  return {
    x: (value: number) => found.x(value + shift.value),
    value: (x: number) => found.value(x) - shift.value,
  };
});
const points = computed(() => session.points(props.lane.owner, view.parameter));
/** What is dragged: the point under the hand, where it is now, and all that go with it. */
const dragging = ref<{ index: number; point: Point; along: number[] } | null>(null);
/** Where a point is while the one under the hand is dragged. */
function movedAlong(point: Point, index: number): Point {
  const held = dragging.value;
  if (held?.index === index) return held.point;
  if (!held?.along.includes(index)) return point;
  const was = must(points.value[held.index]);
  const value = tidy(view.parameter, point.value + held.point.value - was.value);
  return { ...point, t: clamp(point.t + held.point.t - was.t, 0, session.length), value };
}
const text = (value: number): string => FACES[view.parameter].text(value);

const shown = computed(() =>
  points.value
    .map((point, index) => {
      const at = movedAlong(point, index);
      return { index, point: at, x: axis.value.x(at.value), y: (at.t - view.top) * view.scale };
    })
    .filter((one) => one.y > -30 && one.y < view.height + 30),
);
/** Where points crowd, only those are marked that have room: nearer, the others appear. */
const MOST_MARKED = 240;
const marked = computed(() => {
  if (shown.value.length <= MOST_MARKED) return shown.value;
  const every = Math.ceil(shown.value.length / MOST_MARKED);
  return shown.value.filter((one, i) => i % every === 0 || one.index === view.point);
});

const drag = usePointerDrag<number>({
  start: (_, index) => {
    if (!session.mayEdit) return false;
    view.point = index;
    const along = picked.indexes.includes(index) ? picked.indexes : [index];
    if (along.length === 1) picked.clear();
    dragging.value = { index, point: { ...must(points.value[index]) }, along };
    return true;
  },
  move: onMove,
  end: onUp,
  cancel: () => (dragging.value = view.dragged = null),
});

function onMove(event: PointerEvent): void {
  const held = dragging.value;
  if (!held) return;
  const box = must((event.currentTarget as SVGElement).ownerSVGElement).getBoundingClientRect();
  const at = clamp(view.top + (event.clientY - box.top) / view.scale, 0, session.length);
  const t = event.shiftKey ? held.point.t : session.grid.snap(at, event.altKey ? 0 : view.gridParts);
  const value = tools.toValue(view.parameter, axis.value.value(event.clientX - box.left), event.altKey);
  const point = { ...held.point, t, value };
  dragging.value = { ...held, point };
  view.dragged = {
    key: session.laneKey(props.lane.owner, view.parameter),
    points: points.value.map(movedAlong).sort((one, other) => one.t - other.t),
  };
}

function onUp(): void {
  const held = dragging.value;
  if (!held) return;
  const ends = new Map(points.value.map((point, index) => [point, movedAlong(point, index)]));
  dragging.value = view.dragged = null;
  const was = points.value[held.index];
  if (!was || (was.t === held.point.t && was.value === held.point.value)) return;
  if (held.along.length === 1) place(held.index, held.point);
  else turnPicked(held.along, (point) => must(ends.get(point)));
}

function place(index: number, point: Point): void {
  edits.movePoint(props.lane.owner, view.parameter, index, point);
  view.point = session
    .points(props.lane.owner, view.parameter)
    .findIndex((one) => one.t === point.t && one.value === point.value);
}

/** Change all that are picked as one; they stay picked. */
function turnPicked(indexes: number[], turned: (point: Point) => Point | null): void {
  const fresh = edits.turnPoints(props.lane.owner, view.parameter, indexes, turned);
  view.point = null;
  picked.pick(fresh);
}

/** Shift goes on from the point chosen last, Ctrl adds one or leaves one out. */
function pick(event: PointerEvent, index: number): void {
  const from = event.shiftKey ? (view.point ?? index) : index;
  const [low, high] = [Math.min(from, index), Math.max(from, index)];
  if (event.shiftKey) picked.pick(points.value.slice(low, high + 1), true);
  else picked.toggle(must(points.value[index]));
  view.point = index;
}

function press(event: PointerEvent, index: number): void {
  if (event.button === 0 && (event.shiftKey || event.ctrlKey || event.metaKey)) pick(event, index);
  else drag.down(event, index);
  (event.currentTarget as SVGGElement).focus();
}

function onKey(event: KeyboardEvent, index: number): void {
  const point = points.value[index];
  if (!point || !session.mayEdit) return;
  const all = picked.indexes;
  const isOne = !all.includes(index) || all.length < 2;
  const turn = (change: (one: Point) => Point): void =>
    isOne ? place(index, change(point)) : turnPicked(all, change);
  const big = event.shiftKey ? 10 : 1;
  const by = FACES[view.parameter].unit * big;
  /** All of them by as much as the one that has the focus: to its next line of the grid. */
  const later = (times: number) => {
    const dt = session.grid.step(point.t, times, view.gridParts) - point.t;
    return (one: Point): Point => ({ ...one, t: clamp(one.t + dt, 0, session.length) });
  };
  const aside =
    (sign: number) =>
    (one: Point): Point => ({
      ...one,
      value: tidy(view.parameter, one.value + sign * by),
    });
  const moves: Record<string, () => void> = {
    ArrowLeft: () => turn(aside(-1)),
    ArrowRight: () => turn(aside(1)),
    ArrowUp: () => turn(later(-big)),
    ArrowDown: () => turn(later(big)),
    "0": () => turn((one) => ({ ...one, value: 0 })),
    s: () => turn((one) => reshaped(one, must(SHAPES[(SHAPES.indexOf(point.shape) + 1) % SHAPES.length]))),
    "-": () => turn((one) => bent(one, -0.1)),
    "+": () => turn((one) => bent(one, 0.1)),
    "=": () => turn((one) => bent(one, 0.1)),
    Delete: remove,
    Backspace: remove,
  };
  function remove(): void {
    view.point = null;
    if (isOne) edits.deletePoint(props.lane.owner, view.parameter, index);
    else turnPicked(all, () => null);
  }
  const move = moves[event.key];
  if (!move) return;
  event.preventDefault();
  event.stopPropagation();
  move();
}
</script>

<template>
  <g :style="{ '--source': ink }" :class="{ off: session.isOff(lane.owner, lane.parameter) }">
    <g
      v-for="one in marked"
      :key="one.index"
      class="point"
      :class="{ chosen: view.point === one.index || picked.indexes.includes(one.index) }"
      tabindex="0"
      role="button"
      :aria-pressed="picked.indexes.includes(one.index)"
      :data-point="one.index"
      :aria-label="`${name}, ${session.grid.text(one.point.t)}: ${text(one.point.value)}, ${one.point.shape}`"
      @pointerdown.stop.prevent="press($event, one.index)"
      v-on="drag.follow"
      @keydown="onKey($event, one.index)"
      @dblclick.stop
    >
      <circle class="reach" :cx="one.x" :cy="one.y" r="13" />
      <circle class="dot" :cx="one.x" :cy="one.y" r="5" />
    </g>
    <text
      v-if="dragging"
      class="told number"
      :x="axis.x(dragging.point.value) + (dragging.point.value > 0.7 ? -12 : 12)"
      :y="(dragging.point.t - view.top) * view.scale - 10"
      :text-anchor="dragging.point.value > 0.7 ? 'end' : 'start'"
    >
      {{ text(dragging.point.value) }} · {{ session.grid.text(dragging.point.t) }}
    </text>
  </g>
</template>

<style scoped>
.point {
  cursor: grab;
  outline: none;
}
.reach {
  fill: transparent;
}
.dot {
  fill: var(--raised);
  stroke: var(--source);
  stroke-width: 2;
}
.off .dot {
  stroke-dasharray: 2 2;
  opacity: 0.6;
}
.chosen .dot {
  fill: var(--source);
}
.point:focus-visible .reach {
  stroke: var(--lamp);
  stroke-width: 2;
}
.told {
  fill: var(--source);
  font-size: 12px;
  font-weight: 500;
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 4px;
}
</style>
