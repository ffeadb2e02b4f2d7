<script setup lang="ts">
/** One source in the room: a mark, or two linked ends; its spread, its height as a drop line; dragged and stepped. */
import { computed, ref } from "vue";
import { useChartView } from "@/chart/view";
import type { Label } from "@/desks/place/labels";
import type { End, Values } from "@/geometry/ends";
import { directionText } from "@/geometry/pan";
import { useHand } from "@/session/hand";
import { useRoom, type Place } from "@/session/room";
import { useSession, type Source } from "@/session/session";
import { usePlayer } from "@/sound/player";
import { inkOf, initials, personColour } from "@/ui/theme";
import { usePlanHand, type Wish } from "./useDrag";
import { footOf, type RoomView } from "./view";

const props = defineProps<{
  source: Source;
  /** Where it sounds, end by end. */
  ends: Place[];
  view: RoomView;
  spread: number;
  heard: boolean;
  label?: Label;
  at: (event: PointerEvent) => { across: number; along: number };
}>();
const session = useSession();
const player = usePlayer();
const chart = useChartView();
const room = useRoom();
const hand = useHand();
const drag = usePlanHand();

const chosen = computed(() => chart.selection.includes(props.source.id));
const main = computed(() => player.chosen === props.source.id);
const holder = computed(
  () =>
    hand.holderOf(props.source) ??
    session.holder(`${props.source.id}.front`) ??
    session.holder(`${props.source.id}.height`),
);
const sides = computed<End["side"][]>(() => (props.ends.length > 1 ? ["left", "right"] : ["whole"]));
const points = computed(() =>
  props.ends.map((end) => ({
    x: props.view.x(end),
    y: props.view.y(end),
    foot: { x: props.view.x(footOf(end)), y: props.view.y(footOf(end)) },
    high: !props.view.side && Math.abs(end[2]) > 0.02,
  })),
);
const middle = computed(() => ({
  x: points.value.reduce((sum, one) => sum + one.x, 0) / points.value.length,
  y: points.value.reduce((sum, one) => sum + one.y, 0) / points.value.length,
}));
const said = computed(() => {
  const polar = main.value ? room.polarNow : null;
  const where = polar ? directionText(polar[0], polar[1]) : "";
  return `${props.source.name}${where ? `: ${where}` : ""}`;
});
const disc = computed(() =>
  props.spread > 0 ? 8 + (Math.min(props.spread, 360) / 360) * props.view.unit * 0.9 : 0,
);
const watchers = computed(() => [...session.people.values()].filter((one) => one.chosen === props.source.id));

let from: { across: number; along: number } | null = null;
let stood: { across: number; along: number } = { across: 0, along: 0 };
/** How high it stood, and how far the hand has lifted it since. */
let stoodHigh = 0;
let lifted = 0;
let values: Values | null = null;
/** How far the hand has taken all that are chosen. */
let by: Wish | null = null;
const moving = ref(false);
const pointers = new Map<number, PointerEvent>();

function ownOf(side: End["side"]): { across: number; along: number } {
  const look = (name: "pan" | "front" | "height"): number => {
    if (props.source.mode === "sides") {
      const [left, right] = (["left", "right"] as const).map((one) =>
        session.valueAt(props.source, `${name}_${one}`, player.playhead),
      ) as [number, number];
      return side === "left" ? left : side === "right" ? right : (left + right) / 2;
    }
    const value = session.valueAt(props.source, name, player.playhead);
    if (name !== "pan" || props.source.mode !== "span" || side === "whole") return value;
    const span = session.valueAt(props.source, "span", player.playhead);
    return value + (side === "left" ? -span : span);
  };
  return props.view.side
    ? { across: look("front"), along: look("height") }
    : { across: look("pan"), along: look("front") };
}

let side: End["side"] = "whole";
function onDown(event: PointerEvent, which: End["side"]): void {
  if (event.button !== 0) return;
  const among = event.ctrlKey || event.metaKey;
  pointers.set(event.pointerId, event);
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  if (pointers.size > 1) return;
  if (!drag.take(props.source, which, among)) return;
  side = which;
  from = props.at(event);
  stood = ownOf(which);
  lifted = 0;
  const name = props.source.mode !== "sides" ? "height" : which === "right" ? "height_right" : "height_left";
  stoodHigh = session.valueAt(props.source, name, player.playhead);
  values = null;
  moving.value = true;
}

/** A second finger (or Alt) lifts and lowers instead. */
function wishAt(event: PointerEvent): Wish {
  const here = props.at(event);
  const [across, along] = [stood.across + here.across - from!.across, stood.along + here.along - from!.along];
  if (props.view.side) return { depth: across, height: along };
  if (event.altKey || pointers.size > 1) {
    lifted += (pointers.get(event.pointerId)!.clientY - event.clientY) / (props.view.unit * pointers.size);
    return { height: stoodHigh + lifted };
  }
  return { across, depth: along };
}

function onMove(event: PointerEvent): void {
  if (!from || !moving.value) return;
  const wish = wishAt(event);
  const along = drag.takenAlong(props.source);
  if (along.length) {
    const [wasAcross, wasAlong] = [stood.across, stood.along];
    by = props.view.side
      ? { depth: wish.depth! - wasAcross, height: wish.height! - wasAlong }
      : wish.height === undefined
        ? { across: wish.across! - wasAcross, depth: wish.depth! - wasAlong }
        : { height: wish.height - stoodHigh };
    drag.moveAll(along, by);
  } else values = { ...values, ...drag.move(props.source, side, wish) };
  pointers.set(event.pointerId, event);
}

function onUp(event: PointerEvent): void {
  pointers.delete(event.pointerId);
  if (!moving.value || pointers.size) return;
  moving.value = false;
  from = null;
  const along = drag.takenAlong(props.source);
  if (along.length) drag.dropAll(along, by);
  else drag.drop(props.source, values);
  by = null;
}

function onKey(event: KeyboardEvent): void {
  if (!drag.step(props.source, event)) return;
  event.preventDefault();
  event.stopPropagation();
}
</script>

<template>
  <g
    class="mark"
    :class="{ chosen, main, unheard: !heard }"
    :style="{ '--source': inkOf(source.ink) }"
    :data-mark="source.id"
    tabindex="0"
    role="button"
    :aria-label="said"
    :aria-pressed="chosen"
    @focus="chosen || chart.choose(source.id)"
    @keydown="onKey"
    @dblclick="session.mayEdit && !holder && drag.reset(source)"
  >
    <title>{{ said }}</title>
    <circle v-if="disc" class="disc" :cx="middle.x" :cy="middle.y" :r="disc" />
    <path
      v-if="points.length > 1"
      class="band"
      :d="`M${points[0]!.x} ${points[0]!.y}L${points[1]!.x} ${points[1]!.y}`"
      @pointerdown.prevent="onDown($event, 'whole')"
      @pointermove="onMove"
      @pointerup="onUp"
      @pointercancel="onUp"
    />
    <template v-for="(point, i) in points" :key="i">
      <template v-if="point.high">
        <path class="drop" :d="`M${point.foot.x} ${point.foot.y}L${point.x} ${point.y}`" />
        <circle class="foot" :cx="point.foot.x" :cy="point.foot.y" r="3" />
      </template>
      <g
        class="end"
        :data-end="sides[i]"
        :transform="`translate(${point.x} ${point.y})`"
        @pointerdown.prevent="onDown($event, sides[i]!)"
        @pointermove="onMove"
        @pointerup="onUp"
        @pointercancel="onUp"
      >
        <circle class="grip" r="14" />
        <path v-if="sides[i] === 'left'" class="shape" d="M0-8V8A8 8 0 0 1 0-8Z" />
        <path v-else-if="sides[i] === 'right'" class="shape" d="M0-8V8A8 8 0 0 0 0-8Z" />
        <circle v-else class="shape" :r="main ? 9 : 6.5" />
      </g>
    </template>
    <text v-if="label" :x="label.x" :y="label.y + 4" :text-anchor="label.anchor">{{ source.name }}</text>
    <g
      v-for="(person, i) in watchers"
      :key="person.tab"
      :transform="`translate(${middle.x + i * 18} ${middle.y - 20})`"
    >
      <circle r="8" :fill="personColour(person.colour)" />
      <text class="person" text-anchor="middle" y="3">{{ initials(person.name) }}</text>
    </g>
    <text v-if="holder" class="holder" :x="middle.x" :y="middle.y + 26" text-anchor="middle"
      >{{ holder.name }} holds it</text
    >
  </g>
</template>

<style scoped>
.mark {
  outline: none;
}
.grip {
  fill: transparent;
}
.end {
  cursor: grab;
  touch-action: none;
}
.shape {
  fill: var(--source);
  stroke: var(--paper);
  stroke-width: 1.5;
}
.band {
  stroke: var(--source);
  stroke-width: 7;
  opacity: 0.28;
  cursor: grab;
  touch-action: none;
}
.chosen .band {
  opacity: 0.5;
}
.chosen .shape,
.mark:focus-visible .shape {
  stroke: var(--lamp);
  stroke-width: 3;
  paint-order: stroke;
}
.disc {
  fill: var(--source);
  opacity: 0.12;
  pointer-events: none;
}
.main .disc {
  opacity: 0.2;
}
.drop {
  stroke: var(--source);
  stroke-dasharray: 2 3;
  fill: none;
}
.foot {
  fill: var(--source);
}
.unheard {
  opacity: 0.35;
}
text {
  font: 12px var(--sans);
  fill: var(--ink);
  pointer-events: none;
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.main text {
  font-weight: 600;
}
.person {
  font-size: 8px;
  font-weight: 600;
  stroke: none;
}
.holder {
  font-size: 11px;
  font-weight: 600;
}
</style>
