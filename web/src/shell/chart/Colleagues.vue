<script setup lang="ts">
/** Where colleagues' playheads are on a chart, and what they have selected: by name and in their colours. */
import { computed } from "vue";
import { useSession } from "@/session/session";
import { MARGIN } from "@/ui/drawing/axis";
import { personColour } from "@/ui/theme";

const props = defineProps<{ width: number; height: number; top: number; scale: number }>();
const session = useSession();

/** Room for a letter of a name (px), and beside the name. */
const LETTER = 7;
const BESIDE = 14;
const here = computed(() =>
  [...session.people.values()]
    .map(({ tab, name, colour, playhead, chosen }) => {
      const first = name.split(" ")[0] ?? name;
      return {
        tab,
        first,
        colour: personColour(colour),
        wide: first.length * LETTER + BESIDE,
        of: session.sourceById(chosen)?.name ?? "",
        y: (playhead - props.top) * props.scale,
      };
    })
    .filter(({ y }) => y > -10 && y < props.height + 10),
);
</script>

<template>
  <g v-for="one in here" :key="one.tab" class="colleague">
    <line :x1="MARGIN.left" :x2="width" :y1="one.y" :y2="one.y" :stroke="one.colour" />
    <rect :x="width - one.wide - 6" :y="one.y - 9" :width="one.wide" height="18" rx="3" :fill="one.colour" />
    <text :x="width - 13" :y="one.y + 4" text-anchor="end">{{ one.first }}</text>
    <text v-if="one.of" class="of" :x="width - 8" :y="one.y + 21" text-anchor="end">{{ one.of }}</text>
  </g>
</template>

<style scoped>
.colleague {
  pointer-events: none;
}
.colleague line {
  stroke-width: 1.5;
  stroke-dasharray: 6 4;
}
.colleague text {
  fill: var(--on-lamp);
  font-size: 11px;
  font-weight: 600;
}
.colleague .of {
  fill: var(--ink);
  font-weight: 400;
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
</style>
