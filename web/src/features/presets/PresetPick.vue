<script setup lang="ts">
/** What has been kept by name, with who kept it: to be used, or, one's own, to be shared or forgotten. */
import { Button, Checkbox } from "ant-design-vue";
import { computed, ref } from "vue";
import { useLibrary, type Preset } from "@/session/library";
import { useSession } from "@/session/session";

const props = defineProps<{ presets: Preset[]; label: string; disabled?: boolean }>();
const emit = defineEmits<{ use: [preset: Preset] }>();
const library = useLibrary();
const session = useSession();
const chosen = ref("");
const preset = computed(() => props.presets.find((one) => one.id === chosen.value));
const isShared = computed(() => preset.value?.sessions.includes(session.id) ?? false);
const told = (one: Preset): string => (one.mine ? one.name : `${one.name} (${one.author})`);

async function forget(): Promise<void> {
  if (preset.value) await library.forget(preset.value);
  chosen.value = "";
}

function use(): void {
  if (preset.value) emit("use", preset.value);
}
</script>

<template>
  <div class="kept">
    <select v-model="chosen" :aria-label="label" :disabled="disabled" @change="use">
      <option value="">
        {{ presets.length ? $t("presetPick.presets") : $t("presetPick.noPresetsYet") }}
      </option>
      <option v-for="one in presets" :key="one.id" :value="one.id">{{ told(one) }}</option>
    </select>
    <Checkbox
      v-if="preset?.mine"
      :checked="isShared"
      :title="$t('presetPick.everybodyInThisSessionMay', { name: preset.name })"
      @change="library.share(preset, session.id, !isShared)"
    >
      {{ $t("presetPick.share") }}
    </Checkbox>
    <Button
      v-if="preset?.mine"
      size="small"
      :title="$t('presetPick.deleteThePresetNameWhat', { name: preset.name })"
      @click="forget"
    >
      {{ $t("presetPick.delete") }}
    </Button>
  </div>
</template>

<style scoped>
.kept {
  display: flex;
  gap: 4px;
  min-width: 0;
}
select {
  flex: 1;
  min-width: 0;
  height: 25px;
  padding: 0 5px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 12.5px;
}
</style>
