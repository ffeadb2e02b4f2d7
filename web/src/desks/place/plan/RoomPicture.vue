<script setup lang="ts">
/**
 * The room from above or from the side: loudspeakers where they stand, sources where they sound, the chosen one's way
 * and what plays it, and where the energy of the mix comes from.
 */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import { computed, ref } from "vue";
import { useDrawingOrder } from "@/session/markOrder";
import { laidOut } from "@/desks/place/labels";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import EnergyArrow from "./EnergyArrow.vue";
import { stable, stableList } from "@/ui/stable";
import { useMarkStops } from "@/desks/place/markStops";
import PlanMark from "./PlanMark.vue";
import Speaker from "./Speaker.vue";
import { petal, roomView } from "./view";

const props = defineProps<{ width: number; height: number; side: boolean }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const room = useRoom();
const surface = ref<SVGSVGElement>();

/** How far back and ahead a way is drawn (s). */
const TRAIL = 8;

const view = computed(() => roomView(props.width, props.height, props.side));
const chosen = computed(() => session.sourceById(selection.chosen));
const marks = stableList(
  () =>
    selection.shownSources.flatMap((source) => {
      const ends = room.endsNow(source.id);
      const [spread, parts] = [room.spreadNow(source.id), room.partsNow(source.id)];
      return ends.length ? [{ source, ends, spread, parts }] : [];
    }),
  ({ source }) => source.id,
);
const labels = stable(() =>
  laidOut(
    marks.value.map(({ source, ends }) => {
      const xs = ends.map((end) => view.value.x(end));
      return {
        id: source.id,
        text: source.name,
        x: Math.max(...xs),
        left: Math.min(...xs),
        y: view.value.y(must(ends[xs.indexOf(Math.max(...xs))])),
        first: selection.all.includes(source.id),
      };
    }),
    props.width,
    6,
    props.height - 4,
  ),
);
const { ordered, hold } = useDrawingOrder(
  () => marks.value,
  (one) => one.source.id,
);
const layers = stable(() =>
  chosen.value
    ? room.layersOf(chosen.value.id).map((layer) => ({ layer, ends: room.endsNow(layer.id) }))
    : [],
);

const off = stable(() => {
  if (!chosen.value) return new Set<string>();
  const key = room.passage || room.passageNow(chosen.value.id);
  return new Set(room.routeIn(chosen.value.id, key).off ?? []);
});
const petals = stable(() => {
  if (!chosen.value) return [];
  return room.channels.flatMap((one, i) => {
    const gain = room.gainsNow[i] ?? 0;
    if (one.lfe || gain < 0.02) return [];
    const { x, y, cx, cy, unit } = view.value;
    return [{ name: one.name, d: petal(x(one.place), y(one.place), cx, cy, gain, unit) }];
  });
});

const path = stable(() => {
  if (!chosen.value) return [];
  return room.pathOf(chosen.value.id, player.playhead - TRAIL, player.playhead + TRAIL).map((step) => ({
    t: step.t,
    x: view.value.x(step.place),
    y: view.value.y(step.place),
  }));
});
const hasPath = computed(() => path.value.length > 0);
const line = (steps: { x: number; y: number }[]): string =>
  steps.map((one, i) => `${i ? "L" : "M"}${one.x.toFixed(1)} ${one.y.toFixed(1)}`).join("");
const trail = stable(() => ({
  been: line(path.value.filter((one) => one.t <= player.playhead + 0.06)),
  ahead: line(path.value.filter((one) => one.t >= player.playhead - 0.06)),
}));
/** Where it is when each bar begins. */
const bars = stable(() => {
  const found: { text: string; x: number; y: number }[] = [];
  for (const bar of session.grid.bars) {
    const at = must(bar.times[0]);
    const near = path.value.find((one) => Math.abs(one.t - at) <= 0.06);
    if (!near) continue;
    if (found.some((one) => Math.hypot(one.x - near.x, one.y - near.y) < 26)) continue;
    found.push({ text: `${bar.bar}.1`, x: near.x, y: near.y });
  }
  return found;
});

const { stop, onFocus, onKey } = useMarkStops(surface, () => marks.value.map(({ source }) => source.id));

function at(event: PointerEvent): { across: number; along: number } {
  const box = must(surface.value).getBoundingClientRect();
  return view.value.at(event.clientX - box.left, event.clientY - box.top);
}
const RINGS = [1 / 3, 2 / 3, 1];
const corners = computed(() =>
  props.side
    ? ([
        ["front", view.value.cx - view.value.unit],
        ["back", view.value.cx + view.value.unit],
      ] as const)
    : [],
);
</script>

<template>
  <svg
    ref="surface"
    class="room"
    :class="{ late: room.late }"
    :width="width"
    :height="height"
    role="group"
    :aria-label="side ? $t('roomPicture.theRoomFromTheSide') : $t('roomPicture.theRoomFromAbove')"
    :data-revision="room.told"
    @focusin="onFocus"
    @keydown="onKey"
    @pointerdown.capture="hold"
    @pointerdown.self="$event.isPrimary && selection.choose(null)"
  >
    <text v-if="room.late" class="waits" x="12" :y="height - 12">
      {{ $t("roomPicture.loading") }}
    </text>
    <g class="grid">
      <rect
        :x="view.cx - view.unit"
        :y="view.cy - view.unit"
        :width="2 * view.unit"
        :height="2 * view.unit"
      />
      <path
        v-for="share in [-0.5, 0, 0.5]"
        :key="share"
        :d="`M${view.cx + share * view.unit} ${view.cy - view.unit}v${2 * view.unit}M${view.cx - view.unit} ${view.cy + share * view.unit}h${2 * view.unit}`"
      />
      <template v-if="!side">
        <circle v-for="ring in RINGS" :key="ring" :cx="view.cx" :cy="view.cy" :r="ring * view.unit" />
      </template>
      <text
        v-for="[name, x] in corners"
        :key="name"
        :x="x"
        :y="view.cy + view.unit + 18"
        text-anchor="middle"
      >
        {{ name }}
      </text>
    </g>
    <path
      v-for="one in petals"
      :key="one.name"
      class="petal"
      :data-petal="one.name"
      :d="one.d"
      :style="{ fill: inkOf(must(chosen).colour) }"
    />
    <g v-if="hasPath" class="trail" :style="{ '--source': inkOf(must(chosen).colour) }">
      <path class="been" :d="trail.been" />
      <path class="ahead" :d="trail.ahead" />
      <g v-for="bar in bars" :key="bar.text">
        <circle :cx="bar.x" :cy="bar.y" r="3.5" />
        <text :x="bar.x + 7" :y="bar.y + 13">{{ bar.text }}</text>
      </g>
    </g>
    <g class="listener" :transform="`translate(${view.cx} ${view.cy})`" aria-hidden="true">
      <circle r="11" />
      <path :d="side ? 'M-10-5L-18 0L-10 5Z' : 'M-5-10L0-18L5-10Z'" />
    </g>
    <EnergyArrow :view="view" />
    <Speaker
      v-for="one in room.channels.filter((channel) => !channel.lfe)"
      :key="one.name"
      :speaker="one"
      :view="view"
      :gain="chosen ? (room.gainsNow[room.channels.indexOf(one)] ?? 0) : null"
      :off="off.has(one.name)"
      :may="!!chosen && session.mayEdit"
      @toggle="room.permit(must(chosen), [one.name], off.has(one.name))"
    />
    <g
      v-for="one in layers"
      :key="one.layer.id"
      class="layer"
      :style="{ '--source': inkOf(must(chosen).colour) }"
    >
      <template v-for="(end, i) in one.ends" :key="i">
        <path :transform="`translate(${view.x(end)} ${view.y(end)})`" d="M0-6 6 0 0 6-6 0Z" />
      </template>
      <text v-if="one.ends[0]" :x="view.x(one.ends[0]) + 9" :y="view.y(one.ends[0]) + 15">
        {{ one.layer.name }}
      </text>
    </g>
    <PlanMark
      v-for="one in ordered"
      :key="one.source.id"
      :source="one.source"
      :ends="one.ends"
      :spread="one.spread"
      :parts="one.parts"
      :view="view"
      :heard="player.hears(one.source.id, session.muted(one.source))"
      :label="labels.get(one.source.id)"
      :at="at"
      :tab="one.source.id === stop ? 0 : -1"
    />
  </svg>
</template>

<style scoped>
.late :deep(.mark) {
  opacity: 0.4;
}
.waits {
  fill: var(--quiet);
  font-size: 12px;
}
.room {
  display: block;
  background: var(--paper);
  touch-action: none;
  user-select: none;
}
.grid rect,
.grid path,
.grid circle {
  fill: none;
  stroke: var(--rule);
  pointer-events: none;
}
.grid rect {
  stroke: var(--rule-strong);
}
text {
  font: 11px var(--sans);
  fill: var(--quiet);
}
.petal {
  opacity: 0.32;
  pointer-events: none;
}
.trail {
  pointer-events: none;
}
.trail path {
  fill: none;
  stroke: var(--source);
  stroke-width: 1.6;
  stroke-dasharray: 1.5 4;
  stroke-linecap: round;
}
.trail .been {
  opacity: 0.45;
}
.trail .ahead {
  stroke-width: 2.2;
}
.trail circle {
  fill: var(--paper);
  stroke: var(--source);
  stroke-width: 1.5;
}
.trail text {
  font: 10.5px var(--mono);
  fill: var(--source);
}
.listener {
  fill: var(--ink);
  pointer-events: none;
}
.layer {
  pointer-events: none;
}
.layer path {
  fill: var(--paper);
  stroke: var(--source);
  stroke-width: 2;
}
.layer text {
  fill: var(--source);
}
</style>
