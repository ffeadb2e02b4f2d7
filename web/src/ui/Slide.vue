<script setup lang="ts">
/** A number on a rule of its own: dragged, stepped, or typed in the field at its right. */
import { computed } from "vue";
import { clamp } from "@/domain/format";
import { useHeldNumber } from "./holding";
import NumberField from "./NumberField.vue";

const props = defineProps<{
  title: string;
  value: number;
  label?: string;
  low: number;
  high: number;
  step: number;
  unit?: string;
  initial?: number;
  disabled?: boolean;
  /** Equal ways on the rule are equal ratios: for frequencies and lengths. */
  ratio?: boolean;
  /** What it sets is heard while a hand holds it. */
  live?: boolean;
}>();
const emit = defineEmits<{ set: [value: number] }>();
const { held, hold, settle, drop } = useHeldNumber(
  () => props.value,
  () => props.live,
  (value) => emit("set", value),
);
const shown = computed(() => held.value ?? props.value);
const share = computed(() =>
  props.ratio
    ? Math.log(shown.value / props.low) / Math.log(props.high / props.low)
    : (shown.value - props.low) / (props.high - props.low),
);
const name = computed(() => props.label ?? props.title);

function valueAt(at: number): number {
  const value = props.ratio
    ? props.low * (props.high / props.low) ** at
    : props.low + at * (props.high - props.low);
  return clamp(Math.round(Math.round(value / props.step) * props.step * 1e4) / 1e4, props.low, props.high);
}

const onInput = (event: Event): void =>
  hold(valueAt(Number((event.target as HTMLInputElement).value) / 1000));
</script>

<template>
  <div class="slide">
    <span class="title">{{ title }}</span>
    <input
      type="range"
      min="0"
      max="1000"
      :value="Math.round(share * 1000)"
      :aria-label="$t('slide.nameDrag', { name: name })"
      :disabled="disabled"
      tabindex="-1"
      @input="onInput"
      @change="settle"
      @pointerup="settle"
      @pointercancel="drop"
      @dblclick="initial !== undefined && emit('set', initial)"
    />
    <NumberField
      class="field"
      :value="shown"
      :label="name"
      :low="low"
      :high="high"
      :step="step"
      :unit="unit"
      :initial="initial"
      :disabled="disabled"
      :live="live"
      @set="emit('set', $event)"
    />
  </div>
</template>

<style scoped>
.slide {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr) 76px;
  align-items: center;
  gap: 6px;
  min-height: 26px;
  font-size: 13px;
}
.field {
  text-align: right;
}
input[type="range"] {
  width: 100%;
  height: 18px;
  margin: 0;
  background: none;
  appearance: none;
  cursor: pointer;
}
input[type="range"]::-webkit-slider-runnable-track {
  height: 2px;
  background: var(--rule-strong);
}
input[type="range"]::-webkit-slider-thumb {
  width: 9px;
  height: 15px;
  margin-top: -6.5px;
  border: 1.5px solid var(--ink);
  border-radius: 2px;
  background: var(--raised);
  appearance: none;
}
input[type="range"]::-moz-range-track {
  height: 2px;
  background: var(--rule-strong);
}
input[type="range"]::-moz-range-thumb {
  width: 6px;
  height: 12px;
  border: 1.5px solid var(--ink);
  border-radius: 2px;
  background: var(--raised);
}
</style>
