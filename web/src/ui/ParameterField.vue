<script setup lang="ts">
/** A parameter's value as a field: pan as L31, level as −8 dB, each stepped in its own way. */
import type { Parameter } from "@/domain/model";
import { computed } from "vue";
import { exact, faceOf, type Kind } from "@/domain/parameters";
import ValueField from "./ValueField.vue";

const props = defineProps<{
  parameter: Parameter;
  value: number;
  label: string;
  /** Of what kind of thing it is, where that is no source. */
  of?: Kind;
  disabled?: boolean;
  /** What it sets is heard while a hand drags it. */
  live?: boolean;
}>();
defineEmits<{ set: [value: number] }>();
const face = computed(() => faceOf(props.parameter, props.of));
</script>

<template>
  <ValueField
    :value="value"
    :label="label"
    :text="face.text"
    :parse="face.parse"
    :step="face.unit"
    :big-step="face.bigStep"
    :low="face.low"
    :high="face.high"
    :initial="face.initial"
    :hint="face.hint"
    :disabled="disabled"
    :live="live"
    @set="$emit('set', exact(parameter, $event))"
  />
</template>
