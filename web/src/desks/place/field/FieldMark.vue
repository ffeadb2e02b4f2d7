<script setup lang="ts">
/** One source in the field: a mark, or two ends and a band; dragged for place and level, moved with the keys. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { Return } from "@/domain/model";
import { t } from "@/words";
import { computed, ref } from "vue";
import { widthTo, type End, type Values } from "@/domain/ends";
import { levelText, OFF_DB, panText, partText } from "@/domain/format";
import { tidy } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { useSession } from "@/session/session";
import { useWatchers } from "@/session/watchers";
import { usePlayer } from "@/audio/player";
import { inkOf, initials, personColour } from "@/ui/theme";
import type { Label } from "@/desks/place/labels";
import type { Mark } from "./marks";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{
  mark: Mark;
  xs: number[];
  /** From where to where each end stands, if it has a width. */
  parts: (number[] | undefined)[];
  y: number;
  ownX: number | null;
  label?: Label;
  at: (event: PointerEvent) => { pan: number; level: number };
  to?: Return;
  /** Its tabindex: one of all marks is a tab stop. */
  tab: 0 | -1;
}>();
const emit = defineEmits<{
  /** The pointer or the keyboard has come to it, or has left it. */
  point: [isHere: boolean];
}>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const edits = useEdits();
const hand = useHolding();

const source = computed(() => props.mark.source);
const holder = computed(() => (props.to ? undefined : hand.holderOf(source.value)));
const middle = computed(() => (Math.min(...props.xs) + Math.max(...props.xs)) / 2);
const place = computed(() => props.mark.ends.map((end) => panText(end.at)).join(" to "));
const wide = computed(() => props.mark.ends.flatMap(({ part }) => (part ? [partText(part)] : [])).join(", "));
const value = computed(() => `${place.value} · ${levelText(props.mark.level)}`);
/** It isTravelling along its line by itself: where it is at each moment is not read aloud. */
const isTravelling = computed(() => props.mark.moves && player.playing && !props.mark.chosen);
const said = computed(() =>
  isTravelling.value
    ? t("fieldMark.nameMoves", { name: source.value.name })
    : `${source.value.name} ${value.value}${wide.value && `, ${wide.value}`}${props.to ? ` in ${props.to.name}` : ""}`,
);

interface Held {
  side: End["side"];
  from: { pan: number; level: number; x: number; y: number };
  pan: number;
  level: number;
  /** Whether the hand has left the line on which it would change only the other of the two; it stays so. */
  across: boolean;
  along: boolean;
  moved: boolean;
}
const held = ref<Held | null>(null);
let values: Values = {};

function grasp(event: PointerEvent, side: End["side"]): boolean {
  const among = event.ctrlKey || event.metaKey || event.shiftKey;
  if (among || !selection.all.includes(source.value.id)) selection.choose(source.value.id, among);
  if (!session.mayEdit || holder.value || among) return false;
  const from = props.at(event);
  const stands =
    props.mark.ends.find((end) => end.side === side)?.at ??
    props.mark.ends.reduce((sum, end) => sum + end.at, 0) / props.mark.ends.length;
  held.value = {
    side,
    from: { ...from, x: event.clientX, y: event.clientY },
    pan: stands,
    level: props.mark.level,
    across: false,
    along: false,
    moved: false,
  };
  values = {};
  return true;
}

const drag = usePointerDrag<End["side"]>({
  start: grasp,
  move: onMove,
  end: onUp,
  cancel: () => {
    held.value = null;
    if (props.to) {
      const key = `send:${session.sendKey(source.value.id, props.to.id)}`;
      for (const name of ["level", "pan"]) session.letGo(`${key}.${name}`);
      return;
    }
    for (const one of chosenSources()) hand.drop(one);
    hand.drop(source.value);
  },
});

/** A hand that hardly leaves a line stays on it: place and level are not disturbed by a trembling hand. */
const FREE = 6;

function onMove(event: PointerEvent): void {
  const now = held.value;
  if (!now) return;
  const [dx, dy] = [Math.abs(event.clientX - now.from.x), Math.abs(event.clientY - now.from.y)];
  if (!now.moved && Math.max(dx, dy) < 3) return;
  now.moved = true;
  const here = props.at(event);
  const pan = tidy("pan", now.pan + here.pan - now.from.pan);
  const level = tidy("level", here.level + (now.level <= OFF_DB ? 0 : now.level - now.from.level));
  const across = (now.across ||= dx >= FREE);
  const along = (now.along ||= dy >= FREE);
  if (props.to) return showSend(across ? pan : null, along ? level : null);
  values = { ...(across ? hand.toEnd(source.value, now.side, pan) : {}), ...(along ? { level } : {}) };
  if (others().length) return showAll(pan - now.pan, along ? level - now.level : 0, across);
  if (Object.keys(values).length) hand.move(source.value, values);
}

/** How far above or below its line a side's width is drawn: the left one's above, the right one's below. */
const BESIDE = 14;
/** Where the handles of a width lie that is none yet: this far beside the side. */
const APART = 14;
const spans = computed(() => {
  if (props.to || source.value.mode !== "sides") return [];
  const mine = selection.chosen === source.value.id && session.mayEdit && !holder.value;
  return props.mark.ends.flatMap(({ side, at }, i) => {
    const part = props.parts[i];
    if (side === "whole" || !(part || mine)) return [];
    const x = must(props.xs[i]);
    const y = props.y + (side === "left" ? -BESIDE : BESIDE);
    const [from, to] = [part?.[0] ?? x - APART, part?.[1] ?? x + APART];
    return [
      {
        side,
        at,
        from: must(from),
        to: must(to),
        y,
        there: !!part,
        handles: mine ? [must(from), must(to)] : [],
      },
    ];
  });
});
type Width = "width_left" | "width_right";
const pulled = ref<{ name: Width; at: number; width: number | null } | null>(null);

const pull = usePointerDrag<{ side: "left" | "right"; at: number }>({
  start: (_, { side, at }) => {
    pulled.value = { name: `width_${side}`, at, width: null };
    return true;
  },
  move: (event) => {
    const now = must(pulled.value);
    now.width = tidy(now.name, widthTo(now.at, props.at(event).pan));
    hand.move(source.value, { [now.name]: now.width });
  },
  end: () => {
    const now = must(pulled.value);
    pulled.value = null;
    if (now.width !== null) hand.set(source.value, { [now.name]: now.width });
  },
  cancel: () => {
    pulled.value = null;
    hand.drop(source.value);
  },
});

const others = (): string[] => selection.all.filter((id) => id !== source.value.id);

/** All that the hand takes along; what a colleague holds stays. */
function chosenSources() {
  return session.sources.filter((one) => selection.all.includes(one.id) && !hand.holderOf(one));
}

let together = { pan: 0, level: 0 };
function showAll(pan: number, level: number, across: boolean): void {
  together = { pan: across ? Math.round(pan * 100) / 100 : 0, level };
  for (const one of chosenSources()) {
    if (across)
      for (const parameter of ["pan", "pan_left", "pan_right"] as const)
        session.hold(`${one.id}.${parameter}`, tidy(parameter, base(one.id, parameter) + together.pan));
    if (level) session.hold(`${one.id}.level`, tidy("level", base(one.id, "level") + level));
  }
}

/** Where a source stood before the hand took hold. */
function base(id: string, parameter: "pan" | "pan_left" | "pan_right" | "level"): number {
  return must(must(session.document).sources[id])[parameter];
}

let sent: { pan: number | null; level: number | null } = { pan: null, level: null };
function showSend(pan: number | null, level: number | null): void {
  sent = { pan, level };
  const key = `send:${session.sendKey(source.value.id, must(props.to).id)}`;
  if (level !== null) session.hold(`${key}.level`, level);
  if (pan !== null) session.hold(`${key}.pan`, pan);
}

function onUp(): void {
  const now = held.value;
  if (!now) return;
  held.value = null;
  if (!now.moved) return hand.drop(source.value);
  if (props.to) {
    const given = {
      ...(sent.level === null ? {} : { level: sent.level }),
      ...(sent.pan === null ? {} : { pan: sent.pan, place: "own" as const }),
    };
    if (Object.keys(given).length) edits.setSend(source.value.id, props.to.id, given);
    sent = { pan: null, level: null };
    return;
  }
  if (others().length) return finishAll();
  if (Object.keys(values).length) hand.set(source.value, values);
  else hand.drop(source.value);
}

function finishAll(): void {
  edits.shiftAll(chosenSources(), together.pan, together.level);
  together = { pan: 0, level: 0 };
}

function onKey(event: KeyboardEvent): void {
  const big = event.shiftKey ? 10 : 1;
  const at = props.mark.ends.reduce((sum, end) => sum + end.at, 0) / props.mark.ends.length;
  const pan: Record<string, number> = { ArrowLeft: at - 0.01 * big, ArrowRight: at + 0.01 * big, "0": 0 };
  const by = event.shiftKey ? 3 : 0.5;
  const level: Record<string, number> = {
    ArrowUp: props.mark.level <= OFF_DB ? -36 : props.mark.level + by,
    ArrowDown: props.mark.level - by,
  };
  const [toPan, toLevel] = [pan[event.key], level[event.key]];
  if (event.key === "Enter") {
    event.preventDefault();
    return selection.choose(source.value.id, event.ctrlKey || event.metaKey || event.shiftKey);
  }
  if ((toPan === undefined && toLevel === undefined) || !session.mayEdit || holder.value) return;
  event.preventDefault();
  event.stopPropagation();
  const wanted = toLevel === undefined ? {} : { level: tidy("level", toLevel) };
  if (props.to) {
    const own = toPan === undefined ? {} : { pan: tidy("pan", toPan), place: "own" as const };
    edits.setSend(source.value.id, props.to.id, { ...wanted, ...own });
  } else {
    const places = toPan === undefined ? {} : hand.toEnd(source.value, "whole", toPan);
    hand.set(source.value, { ...wanted, ...places }, false);
  }
}

function onDouble(): void {
  if (!session.mayEdit || holder.value) return;
  if (props.to) edits.setSend(source.value.id, props.to.id, { place: "same" });
  else hand.set(source.value, hand.toEnd(source.value, "whole", 0), false);
}

const watchers = useWatchers(() => source.value.id);
</script>

<template>
  <g
    class="mark"
    :class="[
      mark.kind,
      {
        unsent: mark.unsent,
        chosen: mark.chosen,
        main: selection.chosen === source.id,
        unheard: !mark.heard,
      },
    ]"
    :style="{ '--source': inkOf(source.colour) }"
    :data-mark="source.id"
    :tabindex="tab"
    role="button"
    :aria-label="said"
    :aria-pressed="mark.chosen"
    @focus="emit('point', true)"
    @blur="emit('point', false)"
    @pointerenter="emit('point', true)"
    @pointerleave="emit('point', false)"
    @keydown="onKey"
    @dblclick="onDouble"
  >
    <title>{{ said }}</title>
    <path v-if="ownX !== null" class="shift" :d="`M${ownX} ${y}H${middle}M${ownX} ${y - 4}v8`" />
    <rect
      v-if="xs.length > 1"
      class="band"
      :x="Math.min(...xs)"
      :y="y - 4"
      :width="Math.abs(must(xs[1]) - must(xs[0]))"
      height="8"
      v-on="drag.follow"
      @pointerdown.prevent="drag.down($event, 'whole')"
    />
    <g v-for="span in spans" :key="span.side" class="width" :class="{ none: !span.there }">
      <path :d="`M${span.from} ${span.y - 4}v8m0-4H${span.to}m0-4v8`" />
      <rect
        v-for="(x, i) in span.handles"
        :key="i"
        :data-width="`${span.side}-${i ? 'to' : 'from'}`"
        :x="x - 7"
        :y="span.y - 7"
        width="14"
        height="14"
        v-on="pull.follow"
        @pointerdown.prevent="pull.down($event, span)"
      >
        <title>{{ $t("fieldMark.widthOfTheSideSide", { side: span.side }) }}</title>
      </rect>
    </g>
    <g
      v-for="(end, i) in mark.ends"
      :key="end.side"
      class="end"
      :data-end="end.side"
      :transform="`translate(${xs[i]} ${y})`"
      v-on="drag.follow"
      @pointerdown.prevent="drag.down($event, end.side)"
    >
      <circle class="grip" r="13" />
      <path v-if="end.side === 'left'" class="shape" d="M0-9V9A9 9 0 0 1 0-9Z" />
      <path v-else-if="end.side === 'right'" class="shape" d="M0-9V9A9 9 0 0 0 0-9Z" />
      <path v-else-if="mark.kind === 'own'" class="shape" d="M0-8 8 0 0 8-8 0Z" />
      <circle v-else class="shape" :r="mark.unsent ? 4.5 : 7" />
    </g>
    <text v-if="label" aria-hidden="true" :x="label.x" :y="label.y + 4" :text-anchor="label.anchor">
      {{ source.name }}{{ " " }}<tspan v-if="mark.chosen" class="value" dx="7">{{ value }}</tspan>
    </text>
    <g
      v-for="(person, i) in watchers"
      :key="person.tab"
      :transform="`translate(${middle + i * 18} ${y - 19})`"
    >
      <circle r="9" :fill="personColour(person.colour)" />
      <text class="person" aria-hidden="true" text-anchor="middle" y="3">{{ initials(person.name) }}</text>
    </g>
    <text v-if="holder" class="holder" aria-hidden="true" :x="middle" :y="y + 24" text-anchor="middle">{{
      $t("fieldMark.nameControlsIt", { name: holder.name })
    }}</text>
  </g>
</template>

<style scoped>
.mark {
  outline: none;
}
.grip {
  fill: transparent;
  cursor: grab;
}
.end {
  cursor: grab;
  touch-action: none;
}
.shape {
  fill: var(--source);
  stroke: var(--paper);
  stroke-width: 1.5;
  pointer-events: none;
}
.opposite .shape {
  fill: var(--paper);
  stroke: var(--source);
  stroke-width: 2.5;
}
.band {
  fill: var(--source);
  opacity: 0.25;
  cursor: grab;
  touch-action: none;
}
.width path {
  fill: none;
  stroke: var(--source);
  stroke-width: 2;
  opacity: 0.6;
}
.width.none path {
  stroke-dasharray: 2 3;
  opacity: 0.35;
}
.chosen .width:not(.none) path {
  opacity: 1;
}
.width rect {
  fill: transparent;
  cursor: ew-resize;
  touch-action: none;
}
.chosen .band {
  opacity: 0.45;
}
.chosen .shape,
.mark:focus-visible .shape {
  stroke: var(--lamp);
  stroke-width: 3;
  paint-order: stroke;
}
.unheard {
  opacity: 0.35;
}
.unsent .shape {
  opacity: 0.6;
}
.unsent:not(.chosen) text {
  fill: var(--quiet);
  font-size: 11px;
}
.shift {
  stroke: var(--source);
  stroke-dasharray: 2 3;
  fill: none;
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
.value {
  font: 11px var(--mono);
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
