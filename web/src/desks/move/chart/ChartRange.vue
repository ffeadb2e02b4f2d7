<script setup lang="ts">
/** The stretch of time that is picked, on the chart: its edges may be dragged, or nudged with the keys. */
import { must } from "@/domain/must";
import { computed } from "vue";
import { useMoves } from "@/session/moves";
import { useSession } from "@/session/session";
import { MARGIN } from "@/ui/drawing/axis";
import { useChartView } from "@/session/view";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{ width: number }>();
const session = useSession();
const view = useChartView();
const moves = useMoves();

const y = (at: number): number => (at - view.top) * view.scale;
const edges = computed(() =>
  moves.span
    ? [
        { name: "start", at: moves.span.start },
        { name: "end", at: moves.span.end },
      ]
    : [],
);

function put(edge: string, at: number): void {
  const { start, end } = must(moves.span);
  if (edge === "start") moves.pick(Math.min(at, end - 0.05), end);
  else moves.pick(start, Math.max(at, start + 0.05));
}

let before = { start: 0, end: 0 };
const drag = usePointerDrag<string>({
  start: () => {
    before = { ...must(moves.span) };
    return true;
  },
  move: (event, edge) => {
    const box = must((event.currentTarget as SVGElement).ownerSVGElement).getBoundingClientRect();
    const at = view.top + (event.clientY - box.top) / view.scale;
    put(edge, session.grid.snap(at, event.altKey ? 0 : view.gridParts));
  },
  end: () => undefined,
  cancel: () => moves.pick(before.start, before.end),
});

function onKey(event: KeyboardEvent, edge: { name: string; at: number }): void {
  const by = { ArrowUp: -1, ArrowDown: 1 }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  put(edge.name, session.grid.step(edge.at, by * (event.shiftKey ? 10 : 1), view.gridParts));
}
</script>

<template>
  <g v-if="moves.span" class="range">
    <rect
      class="wash"
      :x="MARGIN.left - 26"
      :y="y(moves.span.start)"
      :width="Math.max(props.width - MARGIN.left + 26, 0)"
      :height="Math.max((moves.span.end - moves.span.start) * view.scale, 0)"
    />
    <g
      v-for="edge in edges"
      :key="edge.name"
      class="edge"
      tabindex="0"
      role="slider"
      aria-orientation="vertical"
      :aria-label="
        $t('chartRange.edgeOfTheRange', {
          edge: edge.name === 'start' ? $t('chartRange.start') : $t('chartRange.end'),
        })
      "
      :aria-valuenow="Math.round(edge.at * 1000) / 1000"
      :aria-valuetext="session.grid.text(edge.at)"
      v-on="drag.follow"
      @pointerdown.stop.prevent="drag.down($event, edge.name)"
      @keydown="onKey($event, edge)"
      @dblclick.stop
    >
      <line :x1="MARGIN.left - 26" :x2="width" :y1="y(edge.at)" :y2="y(edge.at)" />
      <rect class="reach" :x="MARGIN.left - 26" :y="y(edge.at) - 6" :width="width" height="12" />
      <rect class="grip" :x="width - 20" :y="y(edge.at) - 5" width="14" height="10" rx="2" />
    </g>
  </g>
</template>

<style scoped>
.wash {
  fill: var(--lamp-wash);
  pointer-events: none;
}
.edge {
  cursor: ns-resize;
  outline: none;
}
.edge line {
  stroke: var(--lamp);
  stroke-width: 1.5;
}
.reach {
  fill: transparent;
}
.grip {
  fill: var(--raised);
  stroke: var(--lamp);
  stroke-width: 1.5;
}
.edge:focus-visible .grip {
  fill: var(--lamp);
}
</style>
