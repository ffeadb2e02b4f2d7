<script setup lang="ts">
/** The chart: time runs down, left is left. Every source's line, the lean behind them, the chosen one's points. */
import { useEventListener, useRafFn } from "@vueuse/core";
import { computed, ref, watch, watchEffect } from "vue";
import { leanText } from "@/geometry/pan";
import { tidy } from "@/geometry/parameters";
import { freshId, operation, useEdits } from "@/session/edits";
import { useLean } from "@/session/lean";
import { endsOf } from "@/geometry/ends";
import { useSession, type Parameter, type Source } from "@/session/session";
import { usePlayer } from "@/sound/player";
import { inkOf, personColour } from "@/ui/theme";
import { axisFor, MARGIN } from "./axis";
import ChartPoints from "./ChartPoints.vue";
import { leanX, paint, type Line } from "./paint";
import PassageEdit from "./PassageEdit.vue";
import Playhead from "./Playhead.vue";
import { useChartView } from "./view";

const props = defineProps<{ width: number; height: number }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const edits = useEdits();
const lean = useLean();

const canvas = ref<HTMLCanvasElement>();
const surface = ref<SVGSVGElement>();
const axis = computed(() => axisFor(view.parameter, props.width));
const chosen = computed(() => session.sources.find((one) => one.id === player.chosen));
const y = (at: number): number => (at - view.top) * view.scale;

/** Whether the horizontal axis is the lateral field. */
const isPlace = computed(() => view.parameter.startsWith("pan"));

/** A source's lines: its place, both sides', or the ends of its span; bold the one that is worked on. */
function linesOf(source: Source): Line[] {
  const chosen = source.id === player.chosen;
  const line = (parameter: Parameter, bold: boolean): Line => ({
    colour: inkOf(source.ink),
    chosen: bold,
    silent: session.muted(source),
    points: session.points(source.id, parameter),
    shift: parameter.startsWith("pan") ? session.shiftOf(source) : 0,
    value: session.shown(`${source.id}.${parameter}`, source[parameter]),
  });
  if (!isPlace.value) return [line(view.parameter, true)];
  if (source.mode !== "sides") {
    const found = line("pan", chosen);
    const spread = source.mode === "span" ? line("span", false) : undefined;
    return [{ ...found, spread }];
  }
  return (["pan_left", "pan_right"] as Parameter[]).map((one) => line(one, chosen && one === view.parameter));
}

const lines = computed<Line[]>(() =>
  view.shownSources
    .filter((source) => isPlace.value || source.id === player.chosen)
    .flatMap((source) => linesOf(source)),
);

const ribs = computed(() =>
  session.passages.map((passage) => {
    const from = session.grid.secondsOfBeat(passage.start);
    const to = session.grid.secondsOfBeat(passage.end);
    const [top, height] = [y(from), (to - from) * view.scale];
    const [low, high] = [Math.max(top, 0), Math.min(top + height, props.height)];
    return { passage, top, height, middle: (low + high) / 2 - top, shown: high - low > 20 };
  }),
);

const flags = computed(() =>
  !isPlace.value
    ? []
    : (lean.lean?.stretches ?? []).map((stretch) => {
        const text = `leans ${leanText(stretch.mean_db)} · ${Math.round(stretch.end - stretch.start)} s`;
        const right = stretch.mean_db > 0;
        const x = leanX(axis.value, stretch.worst_db) + (right ? 10 : -10);
        const width = text.length * 7 + 14;
        const left = right ? Math.min(x, props.width - width - 4) : Math.max(x - width, MARGIN.left);
        return { text, right, width, left, y: y((stretch.start + stretch.end) / 2) };
      }),
);

const colleagues = computed(() =>
  [...session.people.values()]
    .map((person) => ({ person, y: y(person.playhead) }))
    .filter((one) => one.y > -10 && one.y < props.height + 10),
);

watchEffect(() => {
  view.height = props.height;
});

let painted = "";
watchEffect(
  () => {
    const element = canvas.value;
    if (!element) return;
    const ratio = window.devicePixelRatio || 1;
    const size = `${props.width}×${props.height}×${ratio}`;
    if (painted !== size) {
      element.width = Math.round(props.width * ratio);
      element.height = Math.round(props.height * ratio);
      painted = size;
    }
    paint(element.getContext("2d")!, {
      width: props.width,
      height: props.height,
      ratio,
      top: view.top,
      scale: view.scale,
      axis: axis.value,
      grid: session.grid,
      length: session.length,
      shapes: session.shapes,
      lines: lines.value,
      lean: lean.lean,
    });
  },
  { flush: "post" },
);

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
    const box = surface.value!.getBoundingClientRect();
    if (event.ctrlKey || event.metaKey) view.zoom(Math.exp(-event.deltaY * 0.002), event.clientY - box.top);
    else view.scrollBy(event.deltaY);
  },
  { passive: false },
);

/** The source whose line passes nearest to a place on the chart, if one is near. */
function lineAt(px: number, at: number): string | null {
  let [nearest, distance] = [null as string | null, 9];
  for (const source of view.shownSources) {
    for (const end of endsOf(source.mode, (parameter) => session.valueAt(source, parameter, at))) {
      const away = Math.abs(axis.value.x(end.at) - px);
      if (away < distance) [nearest, distance] = [source.id, away];
    }
  }
  return nearest;
}

function onDown(event: PointerEvent): void {
  const box = surface.value!.getBoundingClientRect();
  const [px, at] = [event.clientX - box.left, view.top + (event.clientY - box.top) / view.scale];
  if (px < MARGIN.left) {
    stretch.value = { from: at, to: at, y: event.clientY };
    surface.value!.setPointerCapture(event.pointerId);
    return;
  }
  const near = isPlace.value ? lineAt(px, at) : null;
  if (near && event.detail < 2) view.choose(near);
  if (event.pointerType === "touch") finger.value = event.clientY;
}

/** A finger on the paper moves the paper. */
const finger = ref<number | null>(null);

/** A stretch of bars drawn on the margin: it becomes a passage. Without drawing, the playhead goes there. */
const stretch = ref<{ from: number; to: number; y: number } | null>(null);
const editing = ref<string | null>(null);
const DRAWN = 8;
const drawn = computed(() => {
  const here = stretch.value;
  if (!here || Math.abs(here.to - here.from) * view.scale < DRAWN) return null;
  const edges = [here.from, here.to].map((at) => session.grid.nearestBar(at)).sort((a, b) => a - b);
  return edges[0] === edges[1] ? null : { start: edges[0]!, end: edges[1]! };
});
const edited = computed(() => session.passages.find((one) => one.id === editing.value));

function finishStretch(): void {
  const [here, made] = [stretch.value, drawn.value];
  stretch.value = null;
  if (!here) return;
  if (!made || !session.mayEdit) {
    player.seek(session.grid.snap(here.from, view.gridParts));
    return;
  }
  const id = freshId("passage");
  const [start, end] = [session.grid.quarterAt(made.start), session.grid.quarterAt(made.end)];
  edits.make(operation("add-passage", { id, name: `Passage ${session.passages.length + 1}`, start, end }));
  editing.value = id;
}

function onUp(): void {
  finger.value = null;
  finishStretch();
}

function onMove(event: PointerEvent): void {
  if (stretch.value) {
    const box = surface.value!.getBoundingClientRect();
    stretch.value.to = Math.min(
      Math.max(view.top + (event.clientY - box.top) / view.scale, 0),
      session.length,
    );
    return;
  }
  if (finger.value === null) return;
  view.scrollBy(finger.value - event.clientY);
  finger.value = event.clientY;
}

function onDouble(event: MouseEvent): void {
  if (!chosen.value || !session.mayEdit) return;
  const box = surface.value!.getBoundingClientRect();
  const px = event.clientX - box.left;
  const at = Math.min(Math.max(view.top + (event.clientY - box.top) / view.scale, 0), session.length);
  if (px < MARGIN.left) return;
  const t = session.grid.snap(at, event.altKey ? 0 : view.gridParts);
  const value = edits.ownOf(chosen.value, view.parameter, tidy(view.parameter, axis.value.value(px)));
  edits.addPoint(chosen.value.id, view.parameter, t, value);
  view.point = session.points(chosen.value.id, view.parameter).findIndex((point) => point.t === t);
}
</script>

<template>
  <div class="chart" :style="{ height: `${height}px` }">
    <canvas ref="canvas" :style="{ width: `${width}px`, height: `${height}px` }" />
    <svg
      ref="surface"
      :width="width"
      :height="height"
      role="group"
      aria-label="Chart: time runs down, left is left. The points table holds the same points."
      @pointerdown="onDown"
      @pointermove="onMove"
      @pointerup="onUp"
      @pointercancel="finger = null"
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
      <g v-for="(flag, i) in flags" :key="i" class="flag" :class="{ right: flag.right }">
        <rect :x="flag.left" :y="flag.y - 12" :width="flag.width" height="24" rx="3" />
        <text :x="flag.left + 8" :y="flag.y + 4">{{ flag.text }}</text>
      </g>
      <g v-for="{ person, y: at } in colleagues" :key="person.tab" class="colleague">
        <line :x1="MARGIN.left" :x2="width" :y1="at" :y2="at" :stroke="personColour(person.colour)" />
        <rect
          :x="width - person.name.split(' ')[0]!.length * 7 - 20"
          :y="at - 9"
          :width="person.name.split(' ')[0]!.length * 7 + 14"
          height="18"
          rx="3"
          :fill="personColour(person.colour)"
        />
        <text :x="width - 13" :y="at + 4" text-anchor="end">{{ person.name.split(" ")[0] }}</text>
      </g>
      <ChartPoints v-if="chosen" :source="chosen" :width="width" />
    </svg>
    <button
      v-for="rib in ribs"
      :key="rib.passage.id"
      class="rib"
      :class="{ round: player.round === rib.passage.id }"
      :style="{ top: `${rib.top + 1}px`, height: `${Math.max(rib.height - 2, 4)}px` }"
      :title="
        player.round === rib.passage.id
          ? 'Stop going round'
          : `Go round ${rib.passage.name} (only you); double-click to change it`
      "
      :aria-pressed="player.round === rib.passage.id"
      @click="player.round = player.round === rib.passage.id ? null : rib.passage.id"
      @dblclick="session.mayEdit && (editing = rib.passage.id)"
      @keydown.f2="session.mayEdit && (editing = rib.passage.id)"
    >
      <span v-show="rib.shown" :style="{ top: `${rib.middle}px` }">{{ rib.passage.name }}</span>
    </button>
    <PassageEdit
      v-if="edited"
      :key="edited.id"
      :passage="edited"
      :top="Math.min(Math.max(y(session.grid.secondsOfBeat(edited.start)), 8), height - 140)"
      @done="editing = null"
    />
    <Playhead :source="chosen" :width="width" />
  </div>
</template>

<style scoped>
.chart {
  position: relative;
  overflow: hidden;
  background: var(--paper);
}
canvas,
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
.rib {
  position: absolute;
  left: 4px;
  width: 16px;
  padding: 0;
  border: 0;
  border-radius: 2px;
  background: var(--rule);
  opacity: 0.85;
  cursor: pointer;
  overflow: hidden;
}
.rib span {
  position: absolute;
  left: 0;
  writing-mode: vertical-rl;
  transform: translateY(-50%) rotate(180deg);
  font-size: 11px;
  line-height: 16px;
  white-space: nowrap;
}
.rib.round {
  background: #e3c58a;
  opacity: 1;
}
.drawn {
  fill: var(--lamp-wash);
  stroke: var(--lamp);
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
.colleague {
  pointer-events: none;
}
.colleague line {
  stroke-width: 1.5;
  stroke-dasharray: 6 4;
}
.colleague text {
  font-size: 11px;
  font-weight: 600;
}
</style>
