<script setup lang="ts">
/** A plain number with its unit, within limits: typed, stepped with the arrow keys, reset by a double-click. */
import { computed } from "vue";
import ValueField from "./ValueField.vue";

const props = defineProps<{
  value: number;
  label: string;
  low: number;
  high: number;
  step: number;
  unit?: string;
  initial?: number;
  disabled?: boolean;
  /** What it sets is heard while a hand drags it. */
  live?: boolean;
  sign?: boolean;
}>();
defineEmits<{ set: [value: number] }>();

const digits = computed(() => Math.max(0, Math.min(4, -Math.floor(Math.log10(props.step) + 1e-9))));
function text(value: number): string {
  const plain = Math.abs(value).toFixed(digits.value);
  const sign = value < 0 && Number(plain) ? "−" : props.sign && Number(plain) ? "+" : "";
  return `${sign}${plain}${props.unit ? ` ${props.unit}` : ""}`;
}
function parse(typed: string): number | null {
  const tidy = typed
    .trim()
    .toLowerCase()
    .replace("−", "-")
    .replace((props.unit ?? "").toLowerCase(), "")
    .trim();
  if (!/^[+-]?\d+(\.\d+)?$/.test(tidy)) return null;
  const value = Number(tidy);
  return value >= props.low && value <= props.high ? value : null;
}
</script>

<template>
  <ValueField
    :value="value"
    :label="label"
    :text="text"
    :parse="parse"
    :step="step"
    :low="low"
    :high="high"
    :initial="initial"
    :disabled="disabled"
    :live="live"
    :digits="low >= 0"
    :hint="$t('numberField.fromLowToHighArrow', { low: text(low), high: text(high) })"
    @set="$emit('set', $event)"
  />
</template>
