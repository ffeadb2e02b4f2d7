<script setup lang="ts">
/** The Move desk: the now strip, the chart and the balance foot on one axis. */
import { computed } from "vue";
import ChartTools from "@/desks/move/chart/ChartTools.vue";
import Chart from "@/desks/move/chart/Chart.vue";
import NowStrip from "@/desks/move/chart/NowStrip.vue";
import BalanceFoot from "@/shell/meters/BalanceFoot.vue";

const props = defineProps<{ width: number; height: number }>();
const chartHeight = computed(() => Math.max(props.height - 58 - 34 - 100, 120));
</script>

<template>
  <NowStrip :width="width" />
  <ChartTools :width="width" />
  <Chart :width="width" :height="chartHeight" />
  <BalanceFoot :width="width" />
</template>
