<script setup lang="ts">
/** Both sides of the chosen source have one colour: each line is named left or right at a few heights. */
import { useSelection } from "@/session/selection";
import { t } from "@/words";
import { computed } from "vue";
import { useSession } from "@/session/session";
import { useChartView } from "@/session/view";
import type { Axis } from "@/ui/drawing/axis";

const props = defineProps<{ axis: Axis; height: number }>();
const session = useSession();
const selection = useSelection();
const view = useChartView();

const NAMED_AT = [0.12, 0.5, 0.88];
const names = computed(() => {
  const source = session.sourceById(selection.chosen);
  if (source?.mode !== "sides") return [];
  return NAMED_AT.flatMap((share) => {
    const at = view.top + (props.height * share) / view.scale;
    if (at < 0 || at > session.length) return [];
    return (["pan_left", "pan_right"] as const).map((parameter, side) => ({
      key: `${share} ${side}`,
      name: t(side ? "chart.right" : "chart.left"),
      isShown: parameter === view.parameter,
      x: props.axis.x(session.valueAt(source, parameter, at)),
      y: props.height * share,
    }));
  });
});
</script>

<template>
  <g v-for="one in names" :key="one.key" class="side" :class="{ shown: one.isShown }">
    <circle :cx="one.x" :cy="one.y" r="8" />
    <text :x="one.x" :y="one.y + 4">{{ one.name }}</text>
  </g>
</template>

<style scoped>
.side {
  pointer-events: none;
}
.side circle {
  fill: var(--paper);
  stroke: var(--rule-strong);
}
.side text {
  font-size: 11px;
  text-anchor: middle;
  fill: var(--quiet);
}
.side.shown text {
  font-weight: 600;
  fill: var(--ink);
}
</style>
