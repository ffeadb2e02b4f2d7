<script setup lang="ts">
/** The points of the lane that is worked on: drag them, nudge them with the keys, delete and reshape them. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { LaneName, Point } from "@/domain/model";
import { computed, ref } from "vue";
import { clamp } from "@/domain/format";
import { FACES, tidy } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
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
const dragging = ref<{ index: number; point: Point } | null>(null);
const text = (value: number): string => FACES[view.parameter].text(value);

const shown = computed(() =>
  points.value
    .map((point, index) => {
      const at = dragging.value?.index === index ? dragging.value.point : point;
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
    view.point = index;
    if (!session.mayEdit) return false;
    dragging.value = { index, point: { ...must(points.value[index]) } };
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
  const rest = points.value.filter((_, i) => i !== held.index);
  const earlier = rest.filter((one, i) => one.t < t || (one.t === t && i < held.index));
  view.dragged = {
    key: session.laneKey(props.lane.owner, view.parameter),
    points: [...earlier, point, ...rest.filter((one) => !earlier.includes(one))],
  };
}

function onUp(): void {
  const held = dragging.value;
  if (!held) return;
  dragging.value = view.dragged = null;
  const was = points.value[held.index];
  if (was && (was.t !== held.point.t || was.value !== held.point.value)) place(held.index, held.point);
}

function place(index: number, point: Point): void {
  edits.movePoint(props.lane.owner, view.parameter, index, point);
  view.point = session
    .points(props.lane.owner, view.parameter)
    .findIndex((one) => one.t === point.t && one.value === point.value);
}

function onKey(event: KeyboardEvent, index: number): void {
  const point = points.value[index];
  if (!point || !session.mayEdit) return;
  const big = event.shiftKey ? 10 : 1;
  const by = FACES[view.parameter].unit * big;
  const step = (times: number): number => session.grid.step(point.t, times, view.gridParts);
  const moves: Record<string, () => void> = {
    ArrowLeft: () => place(index, { ...point, value: tidy(view.parameter, point.value - by) }),
    ArrowRight: () => place(index, { ...point, value: tidy(view.parameter, point.value + by) }),
    ArrowUp: () => place(index, { ...point, t: step(-big) }),
    ArrowDown: () => place(index, { ...point, t: step(big) }),
    "0": () => place(index, { ...point, value: 0 }),
    s: () => place(index, reshaped(point, must(SHAPES[(SHAPES.indexOf(point.shape) + 1) % SHAPES.length]))),
    "-": () => place(index, bent(point, -0.1)),
    "+": () => place(index, bent(point, 0.1)),
    "=": () => place(index, bent(point, 0.1)),
    Delete: remove,
    Backspace: remove,
  };
  function remove(): void {
    view.point = null;
    edits.deletePoint(props.lane.owner, view.parameter, index);
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
      :class="{ chosen: view.point === one.index }"
      tabindex="0"
      role="button"
      :data-point="one.index"
      :aria-label="`${name}, ${session.grid.text(one.point.t)}: ${text(one.point.value)}, ${one.point.shape}`"
      @pointerdown.stop.prevent="
        drag.down($event, one.index);
        ($event.currentTarget as SVGGElement).focus();
      "
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
