<script setup lang="ts">
/** A way of panning as a small picture of the field: where each side comes out, and how strong. */
import { must } from "@/domain/must";
import { computed } from "vue";
import { clamp } from "@/domain/format";
import { endsOf, type Look } from "@/domain/ends";
import { inkOf } from "@/ui/theme";

const props = defineProps<{ mode: string; value: Look; colour: number }>();
const WIDTH = 60;
const HEIGHT = 26;
const x = (pan: number): number => 4 + ((pan + 1) / 2) * (WIDTH - 8);

const parts = computed(() =>
  props.mode === "sides"
    ? endsOf(props.mode, props.value).flatMap(({ part }, i) =>
        part ? [{ from: x(part.from), to: x(part.to), y: i ? HEIGHT - 2 : HEIGHT - 12 }] : [],
      )
    : [],
);
const bars = computed(() => {
  if (props.mode === "balance") {
    const pan = props.value("pan");
    return [
      { side: "L", x: x(-1), share: clamp(1 - pan, 0, 1) },
      { side: "R", x: x(1), share: clamp(1 + pan, 0, 1) },
    ];
  }
  const ends = endsOf(props.mode, props.value);
  if (ends.length < 2) return [{ side: "", x: x(must(ends[0]).at), share: 1 }];
  const level = (side: string): number =>
    props.mode === "sides"
      ? clamp(1 + props.value(side === "left" ? "level_left" : "level_right") / 36, 0.1, 1)
      : 1;
  return ends.map((end) => ({ side: end.side === "left" ? "L" : "R", x: x(end.at), share: level(end.side) }));
});
</script>

<template>
  <svg :width="WIDTH" :height="HEIGHT" aria-hidden="true" :style="{ '--source': inkOf(colour) }">
    <path class="axis" :d="`M4 ${HEIGHT - 4.5}H${WIDTH - 4}M${WIDTH / 2} ${HEIGHT - 7}V${HEIGHT - 2}`" />
    <rect
      v-if="bars.length > 1 && mode !== 'balance'"
      class="band"
      :x="Math.min(must(bars[0]).x, must(bars[1]).x)"
      :y="HEIGHT - 9"
      :width="Math.abs(must(bars[1]).x - must(bars[0]).x)"
      height="4"
    />
    <path v-for="part in parts" :key="part.y" class="part" :d="`M${part.from} ${part.y}H${part.to}`" />
    <g v-for="(bar, i) in bars" :key="i">
      <rect
        class="bar"
        :x="bar.x - 2.5"
        width="5"
        :y="HEIGHT - 5 - 19 * bar.share"
        :height="Math.max(19 * bar.share, 1)"
      />
    </g>
  </svg>
</template>

<style scoped>
.axis {
  stroke: var(--rule-strong);
}
.bar {
  fill: var(--source);
}
.part {
  stroke: var(--source);
  stroke-width: 2;
}
.band {
  fill: var(--source);
  opacity: 0.35;
}
</style>
