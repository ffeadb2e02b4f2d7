<script setup lang="ts">
/** One source in the room: a mark, or two linked ends; its spread, its height as a drop line; dragged and stepped. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { computed, toRef } from "vue";
import type { Label } from "@/desks/place/labels";
import type { End, Values } from "@/domain/ends";
import { depthText, directionText, panText } from "@/domain/format";
import { useHolding } from "@/gestures/holding";
import { useRoom, type Place } from "@/session/room";
import { useSession } from "@/session/session";
import { useWatchers } from "@/session/watchers";
import { usePlayer } from "@/audio/player";
import { inkOf, initials, personColour } from "@/ui/theme";
import { useFingers } from "./fingers";
import { usePlanHand, type Wish } from "@/gestures/planDrag";
import { footOf, type RoomView } from "./view";

const props = defineProps<{
  source: Source;
  /** Where it sounds, end by end. */
  ends: Place[];
  view: RoomView;
  spread: number;
  /** Over what each side stands, from end to end, if one has a width. */
  parts: Place[][];
  heard: boolean;
  label?: Label;
  at: (event: PointerEvent) => { across: number; along: number };
  /** Its tabindex: one of all marks is a tab stop. */
  tab: 0 | -1;
}>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const room = useRoom();
const hand = useHolding();
const drag = usePlanHand();

const chosen = computed(() => selection.all.includes(props.source.id));
const main = computed(() => selection.chosen === props.source.id);
const holder = computed(() => hand.holderOf(props.source));
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
  const places = props.ends.map(([across, front]) => `${panText(across)} ${depthText(front)}`).join(" and ");
  return `${props.source.name}: ${polar ? directionText(polar[0], polar[1]) : places}`;
});
const disc = computed(() =>
  props.spread > 0 ? 8 + (Math.min(props.spread, 360) / 360) * props.view.unit * 0.9 : 0,
);
const widths = computed(() =>
  props.parts.map((part) => `M${part.map((one) => `${props.view.x(one)} ${props.view.y(one)}`).join("L")}`),
);
const watchers = useWatchers(() => props.source.id);

/** Which end the hand has, and where that stood when the hand took it. */
let side: End["side"] = "whole";
let stood = { across: 0, depth: 0, height: 0 };
let values: Values | null = null;

/** Where an end stands, in the coordinates that a hand sets. */
function standing(end: End["side"]): typeof stood {
  const look = (name: Parameter): number => session.valueAt(props.source, name, player.playhead);
  const one = (name: "pan" | "front" | "height"): number => {
    if (props.source.mode !== "sides") return look(name);
    if (end !== "whole") return look(`${name}_${end}`);
    return (look(`${name}_left`) + look(`${name}_right`)) / 2;
  };
  const half = props.source.mode === "span" && end !== "whole" ? look("span") : 0;
  return { across: one("pan") + (end === "left" ? -half : half), depth: one("front"), height: one("height") };
}

const fingers = useFingers(toRef(props, "view"), props.at, {
  moved: (by) => {
    const along = drag.takenAlong(props.source);
    if (along.length) return drag.moveAll(along, by);
    const axes = Object.entries(by) as [keyof Wish, number][];
    const wish: Wish = Object.fromEntries(axes.map(([axis, far]) => [axis, stood[axis] + far]));
    values = { ...values, ...drag.move(props.source, side, wish) };
  },
  done: (by) => {
    const along = drag.takenAlong(props.source);
    if (along.length) drag.dropAll(along, by);
    else drag.drop(props.source, values);
  },
});

function onDown(event: PointerEvent, which: End["side"]): void {
  if (event.button !== 0 || fingers.moving.value) return;
  if (!hand.grasp(props.source, event.ctrlKey || event.metaKey)) return;
  side = which;
  stood = standing(which);
  values = null;
  fingers.take(event);
}

function onKey(event: KeyboardEvent): void {
  if (event.key === "Enter") {
    event.preventDefault();
    return selection.choose(props.source.id, event.ctrlKey || event.metaKey || event.shiftKey);
  }
  if (!drag.step(props.source, event)) return;
  event.preventDefault();
  event.stopPropagation();
}
</script>

<template>
  <g
    class="mark"
    :class="{ chosen, main, unheard: !heard }"
    :style="{ '--source': inkOf(source.colour) }"
    :data-mark="source.id"
    :tabindex="tab"
    role="button"
    :aria-label="said"
    :aria-pressed="chosen"
    @keydown="onKey"
    @dblclick="session.mayEdit && !holder && drag.reset(source)"
  >
    <title>{{ said }}</title>
    <circle v-if="disc" class="disc" :cx="middle.x" :cy="middle.y" :r="disc" />
    <path
      v-if="points.length > 1"
      class="band"
      :d="`M${must(points[0]).x} ${must(points[0]).y}L${must(points[1]).x} ${must(points[1]).y}`"
      @pointerdown.prevent="onDown($event, 'whole')"
    />
    <path v-for="(d, i) in widths" :key="`w${i}`" class="width" :d="d" />
    <template v-for="(point, i) in points" :key="i">
      <template v-if="point.high">
        <path class="drop" :d="`M${point.foot.x} ${point.foot.y}L${point.x} ${point.y}`" />
        <circle class="foot" :cx="point.foot.x" :cy="point.foot.y" r="3" />
      </template>
      <g
        class="end"
        :data-end="sides[i]"
        :transform="`translate(${point.x} ${point.y})`"
        @pointerdown.prevent="onDown($event, must(sides[i]))"
      >
        <circle class="grip" r="14" />
        <path v-if="sides[i] === 'left'" class="shape" d="M0-8V8A8 8 0 0 1 0-8Z" />
        <path v-else-if="sides[i] === 'right'" class="shape" d="M0-8V8A8 8 0 0 0 0-8Z" />
        <circle v-else class="shape" :r="main ? 9 : 6.5" />
      </g>
    </template>
    <text v-if="label" aria-hidden="true" :x="label.x" :y="label.y + 4" :text-anchor="label.anchor">{{
      source.name
    }}</text>
    <g
      v-for="(person, i) in watchers"
      :key="person.tab"
      :transform="`translate(${middle.x + i * 18} ${middle.y - 20})`"
    >
      <circle r="9" :fill="personColour(person.colour)" />
      <text class="person" aria-hidden="true" text-anchor="middle" y="3">{{ initials(person.name) }}</text>
    </g>
    <text
      v-if="holder"
      class="holder"
      aria-hidden="true"
      :x="middle.x"
      :y="middle.y + 26"
      text-anchor="middle"
      >{{ $t("planMark.nameControlsIt", { name: holder.name }) }}</text
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
.width {
  fill: none;
  stroke: var(--source);
  stroke-width: 3;
  stroke-linecap: square;
  opacity: 0.6;
  pointer-events: none;
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
  fill: var(--on-lamp);
  font-size: 9px;
  font-weight: 600;
  stroke: none;
}
.holder {
  font-size: 11px;
  font-weight: 600;
}
</style>
