<script setup lang="ts">
/** What happens within a cycle: one of the waves, steps drawn by hand, or chance by a seed. */
import { Button, Checkbox } from "ant-design-vue";
import { must } from "@/domain/must";
import { computed } from "vue";
import { useLibrary } from "@/session/library";
import { usePulses } from "@/session/pulses";
import NumberField from "@/ui/NumberField.vue";
import StepsEditor from "./StepsEditor.vue";

const library = useLibrary();
const pulses = usePulses();
const rhythm = computed(() => must(library.library).rhythm);
const pulse = computed(() => must(pulses.pulse));
const locked = computed(() => !pulses.mayEdit);
const limit = (name: string): { low: number; high: number } => must(rhythm.value.limits[name]);
/** Little pictures of the waves, to be recognised by. */
const PICTURES: Record<string, string> = {
  sine: "M2 12C8 -4 16 -4 22 12S36 28 42 12",
  triangle: "M2 12L12 3L32 21L42 12",
  rising: "M2 20L40 4V20",
  falling: "M4 20V4L42 20",
  square: "M2 20V4H22V20H42",
  steps: "M2 18H10V6H20V12H30V4H42",
  chance: "M2 14H9V5H15V18H22V9H29V16H35V3H42",
};
</script>

<template>
  <h3 class="heading">{{ $t("wavePart.wave") }}</h3>
  <div class="row four" role="group" :aria-label="$t('wavePart.wave')">
    <button
      v-for="wave in rhythm.waves"
      :key="wave.name"
      class="wave"
      :aria-pressed="pulse.wave === wave.name"
      :title="wave.sentence"
      :disabled="locked"
      @click="pulses.set({ wave: wave.name })"
    >
      <svg width="44" height="24" aria-hidden="true"><path :d="PICTURES[wave.name]" /></svg>
      {{ wave.title }}
    </button>
  </div>
  <StepsEditor
    v-if="pulse.wave === 'steps'"
    :steps="pulse.steps"
    :limits="rhythm.steps as [number, number]"
    :disabled="locked"
    @hold="pulses.draw"
    @drop="pulses.dropDrawn"
    @set="pulses.set({ steps: $event })"
  />
  <div v-if="pulse.wave === 'chance'" class="line chance">
    <NumberField
      :value="pulse.seed"
      :label="$t('wavePart.seed')"
      :low="0"
      :high="limit('seed').high"
      :step="1"
      :disabled="locked"
      @set="pulses.set({ seed: $event })"
    />
    <Button
      size="small"
      :disabled="locked"
      @click="pulses.set({ seed: (pulse.seed + 1) % limit('seed').high })"
    >
      {{ $t("wavePart.newSeed") }}
    </Button>
    <Checkbox :checked="pulse.glide" :disabled="locked" @change="pulses.set({ glide: !pulse.glide })">
      {{ $t("wavePart.glide") }}</Checkbox
    >
  </div>
</template>

<style scoped>
.heading {
  margin-top: 9px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  min-height: 28px;
  font-size: 13px;
}
.wave {
  display: grid;
  justify-items: center;
  padding: 3px 0 2px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 10.5px;
  color: var(--quiet);
  cursor: pointer;
}
.wave svg {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.6;
}
.wave[aria-pressed="true"] {
  border-color: var(--ink);
  background: var(--ink);
  color: var(--paper);
}
.chance {
  justify-content: flex-start;
}
.row {
  display: grid;
  gap: 4px;
  margin: 3px 0;
}
.four {
  grid-template-columns: repeat(4, 1fr);
}
</style>
