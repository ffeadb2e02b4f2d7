<script setup lang="ts">
/** A source on the now strip: one pointer, or two ends and the band between them. Each end may be dragged. */
import { useSelection } from "@/session/selection";
import type { Parameter, Source } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import { endsOf, type End, type Values } from "@/domain/ends";
import { panText, partText } from "@/domain/format";
import { useDeals } from "@/session/deals";
import { useHolding } from "@/gestures/holding";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { stable } from "@/ui/stable";
import { inkOf } from "@/ui/theme";
import { tidy } from "@/domain/parameters";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{
  source: Source;
  x: (pan: number) => number;
  panAt: (clientX: number) => number;
  chosen: boolean;
  heard: boolean;
}>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const hand = useHolding();
const deals = useDeals();

const look = (parameter: Parameter): number =>
  (parameter === "pan" ? deals.panAt(props.source.id, player.playhead) : undefined) ??
  session.valueAt(props.source, parameter, player.playhead);
const ends = stable(() => endsOf(props.source.mode, look));
const band = computed(() => {
  if (ends.value.length < 2) return null;
  const [a, b] = ends.value.map((end) => props.x(end.at)) as [number, number];
  return { left: Math.min(a, b), width: Math.abs(a - b) };
});
const parts = computed(() =>
  ends.value.flatMap(({ side, part }) =>
    part ? [{ side, left: props.x(part.from), width: props.x(part.to) - props.x(part.from) }] : [],
  ),
);
const said = (end: End): string =>
  end.side === "whole"
    ? t("marker.nameAt", { name: props.source.name, at: panText(end.at) })
    : t("marker.nameSideSideAtPanText", {
        name: props.source.name,
        side: end.side,
        panText: panText(end.at),
        end: end.part ? `, ${partText(end.part)}` : "",
      });

let last: Values | null = null;
/** A band is taken where the hand takes it, not at its middle. */
let offset = 0;

const drag = usePointerDrag<End["side"]>({
  start: (event, side) => {
    // What is dealt out or frozen has no place that a hand could move.
    if (deals.isOn(props.source.id) || props.source.frozen_asset) {
      selection.choose(props.source.id);
      return false;
    }
    if (!hand.grasp(props.source, event.ctrlKey || event.metaKey)) return false;
    last = null;
    const here = ends.value.find((end) => end.side === side)?.at;
    const middle = ends.value.reduce((sum, end) => sum + end.at, 0) / ends.value.length;
    offset = here === undefined ? middle - props.panAt(event.clientX) : 0;
    return true;
  },
  move: (event, side) => {
    last = hand.toEnd(props.source, side, tidy("pan", props.panAt(event.clientX) + offset));
    hand.move(props.source, last);
  },
  end: () => (last ? hand.set(props.source, last) : hand.drop(props.source)),
  cancel: () => hand.drop(props.source),
});
</script>

<template>
  <div class="marker" :class="{ chosen, unheard: !heard }" :style="{ '--source': inkOf(source.colour) }">
    <span
      v-if="band"
      class="band"
      :style="{ left: `${band.left}px`, width: `${band.width}px` }"
      :title="$t('marker.nameDragToMoveBoth', { name: source.name })"
      v-on="drag.follow"
      @pointerdown.prevent="drag.down($event, 'whole')"
    />
    <span
      v-for="part in parts"
      :key="part.side"
      class="part"
      :class="part.side"
      :style="{ left: `${part.left}px`, width: `${part.width}px` }"
    />
    <button
      v-for="end in ends"
      :key="end.side"
      class="pointer"
      tabindex="-1"
      :class="end.side"
      :style="{ transform: `translateX(${x(end.at)}px)` }"
      :aria-label="said(end)"
      :title="said(end)"
      v-on="drag.follow"
      @pointerdown.prevent="drag.down($event, end.side)"
    >
      <svg width="16" height="20" aria-hidden="true">
        <path v-if="end.side === 'whole'" d="M8 2 13 18 H3 Z" />
        <path v-else-if="end.side === 'left'" d="M8 2V18H2Z" />
        <path v-else d="M8 2V18H14Z" />
      </svg>
    </button>
  </div>
</template>

<style scoped>
.pointer {
  position: absolute;
  top: 30px;
  left: 0;
  width: 24px;
  margin-left: -12px;
  padding: 0 4px;
  border: 0;
  background: none;
  cursor: ew-resize;
  touch-action: none;
}
.pointer svg {
  display: block;
  fill: var(--source);
  opacity: 0.7;
}
.band {
  position: absolute;
  top: 43px;
  height: 7px;
  background: var(--source);
  opacity: 0.22;
  cursor: ew-resize;
  touch-action: none;
}
/* What a side stands over: the left one's above the band, the right one's below it. */
.part {
  position: absolute;
  height: 5px;
  border: solid var(--source);
  border-width: 2px 1px 0;
  opacity: 0.55;
  pointer-events: none;
}
.part.left {
  top: 37px;
}
.part.right {
  top: 50px;
  border-width: 0 1px 2px;
}
.chosen .part {
  opacity: 1;
}
.chosen .pointer svg {
  opacity: 1;
  stroke: var(--lamp);
  stroke-width: 2;
  paint-order: stroke;
}
.chosen .band {
  opacity: 0.45;
}
.unheard .pointer svg,
.unheard .band,
.unheard .part {
  opacity: 0.2;
}
</style>
