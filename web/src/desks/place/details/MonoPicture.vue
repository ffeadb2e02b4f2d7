<script setup lang="ts">
/** What mono takes from this source, third octave by third octave, and where the predicted gaps stand. */
import { t } from "@/words";
import { computed } from "vue";
import type { PlacementReading } from "./reading";

const props = defineProps<{ mono: PlacementReading["mono"] }>();
const WIDTH = 270;
const HEIGHT = 92;
const TOP = 8;
const BOTTOM = 76;
const DEEPEST = -24;
const [LOW, HIGH] = [22, 22400];

const x = (hertz: number): number => (Math.log(hertz / LOW) / Math.log(HIGH / LOW)) * WIDTH;
const y = (db: number): number => TOP + (Math.max(db, DEEPEST) / DEEPEST) * (BOTTOM - TOP);
const bars = computed(() =>
  props.mono.centres.flatMap((centre, i) => {
    const loss = props.mono.bands[i];
    if (loss === null || loss === undefined) return [];
    const [left, right] = [x(centre * 2 ** (-1 / 6)), x(centre * 2 ** (1 / 6))];
    return [{ centre, loss, left: left + 0.5, width: right - left - 1, height: Math.max(y(loss) - TOP, 1) }];
  }),
);
const gaps = computed(() => props.mono.notches.filter((hertz) => hertz < HIGH).slice(0, 40));
const worst = computed(() => [...bars.value].sort((a, b) => a.loss - b.loss)[0]);
const said = computed(() =>
  worst.value
    ? t("monoPicture.mostIsLostAtCentre", {
        centre: Math.round(worst.value.centre),
        loss: worst.value.loss.toFixed(1),
      })
    : "",
);
const ticks = [
  { hertz: 63, text: "63" },
  { hertz: 250, text: "250" },
  { hertz: 1000, text: "1k" },
  { hertz: 4000, text: "4k" },
  { hertz: 16000, text: "16k" },
];
</script>

<template>
  <svg
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    role="img"
    :aria-label="$t('monoPicture.lossInMonoByThird', { said: said })"
  >
    <path class="line" :d="`M0 ${TOP}H${WIDTH}M0 ${y(-12)}H${WIDTH}`" />
    <rect
      v-for="bar in bars"
      :key="bar.centre"
      class="bar"
      :class="{ deep: bar.loss < -6 }"
      :x="bar.left"
      :y="TOP"
      :width="bar.width"
      :height="bar.height"
    >
      <title>
        {{ $t("monoPicture.centreHzLossDB", { centre: Math.round(bar.centre), loss: bar.loss.toFixed(1) }) }}
      </title>
    </rect>
    <path
      v-for="(gap, i) in gaps"
      :key="gap"
      class="gap"
      :style="{ opacity: Math.max(1 - i * 0.09, 0.15) }"
      :d="`M${x(gap)} ${TOP}V${BOTTOM}m-3 0h6`"
    />
    <text v-for="tick in ticks" :key="tick.hertz" :x="x(tick.hertz)" :y="HEIGHT - 3">{{ tick.text }}</text>
    <text class="scale" x="2" :y="y(-12) - 2">−12</text>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  margin-top: 6px;
  background: var(--raised);
  border: 1px solid var(--rule);
}
.line {
  stroke: var(--rule);
}
.bar {
  fill: var(--grey);
}
.bar.deep {
  fill: var(--lamp);
}
.gap {
  stroke: var(--ink);
  stroke-dasharray: 2 2;
  fill: none;
}
text {
  fill: var(--quiet);
  font: 9px var(--mono);
  text-anchor: middle;
}
.scale {
  text-anchor: start;
}
</style>
