<script setup lang="ts">
/** Pulses to begin with, by how they feel, and those that were kept by name. */
import { useLibrary } from "@/session/library";
import PresetPick from "@/features/presets/PresetPick.vue";

defineProps<{ disabled?: boolean }>();
defineEmits<{ use: [values: object] }>();
const library = useLibrary();
</script>

<template>
  <div class="feelings">
    <button
      v-for="preset in library.library?.rhythm.presets"
      :key="preset.name"
      :title="preset.sentence"
      :disabled="disabled"
      @click="$emit('use', preset.values)"
    >
      <b>{{ preset.title }}</b><span class="quiet">{{ preset.sentence }}</span>
    </button>
    <PresetPick
      :presets="library.kept('pulse')"
      :label="$t('feelingList.pulsePresets')"
      :disabled="disabled"
      @use="$emit('use', $event.content)"
    />
  </div>
</template>

<style scoped>
.feelings {
  display: grid;
  gap: 3px;
  margin: 4px 0 6px;
}
.feelings > button {
  display: grid;
  padding: 3px 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  text-align: left;
  font-size: 12.5px;
  cursor: pointer;
}
.feelings .quiet {
  font-size: 11.5px;
}
.feelings > button:hover:not(:disabled) {
  border-color: var(--quiet);
}
</style>
