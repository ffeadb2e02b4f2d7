<script setup lang="ts">
/** The Move desk: the now strip, the chart and the balance foot on one axis. */
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";
import ChartTools from "@/desks/move/chart/ChartTools.vue";
import Chart from "@/desks/move/chart/Chart.vue";
import NowStrip from "@/desks/move/chart/NowStrip.vue";
import BalanceFoot from "@/shell/meters/BalanceFoot.vue";

const props = defineProps<{ width: number; height: number }>();
/** The tools take another row where their words are long. */
const tools = ref<InstanceType<typeof ChartTools>>();
const { height: toolsHeight } = useElementSize(tools, { width: 0, height: 33 }, { box: "border-box" });
const [STRIP, FOOT, MOST_TOOLS] = [58, 100, 100];
const chartHeight = computed(() =>
  Math.max(props.height - STRIP - Math.min(toolsHeight.value, MOST_TOOLS) - FOOT, 120),
);
</script>

<template>
  <NowStrip :width="width" />
  <ChartTools ref="tools" :width="width" />
  <Chart :width="width" :height="chartHeight" />
  <BalanceFoot :width="width" />
</template>
