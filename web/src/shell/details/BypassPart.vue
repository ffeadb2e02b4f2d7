<script setup lang="ts">
/** Hearing the source without one of its treatments, at the same loudness: only for oneself, held or latched. */
import { Button } from "ant-design-vue";
import type { Source } from "@/domain/model";
import { computed, watch } from "vue";
import { useBypass } from "@/audio/bypass";
import { useLibrary } from "@/session/library";
import EarMark from "@/ui/EarMark.vue";

const props = defineProps<{ source: Source }>();
const without = useBypass();
const library = useLibrary();
const treatments = computed(() => Object.entries(library.library?.treatments ?? {}));
watch(
  () => props.source.id,
  () => without.stop(),
);
</script>

<template>
  <div class="without" :class="{ on: without.on }">
    <EarMark />
    <label>
      <span class="hidden-label">{{ $t("bypassPart.bypass") }}</span>
      <select v-model="without.treatment">
        <option v-for="[name, title] in treatments" :key="name" :value="name">
          {{ $t("bypassPart.bypassTitle", { title: title }) }}
        </option>
      </select>
    </label>
    <Button
      size="small"
      :aria-pressed="without.on"
      :title="$t('bypassPart.bypassItAtEqualLoudness')"
      @click="without.on ? without.stop() : without.start(true)"
    >
      {{ without.on ? $t("bypassPart.bypassed") : $t("bypassPart.bypassHoldW") }}
    </Button>
  </div>
</template>

<style scoped>
.without {
  display: flex;
  align-items: center;
  gap: 6px;
  margin: auto -16px -12px;
  padding: 7px 12px;
  background: var(--bar);
  color: var(--bar-text);
}
.without.on {
  box-shadow: inset 0 3px 0 var(--lamp);
}
label {
  flex: 1;
  min-width: 0;
}
select {
  width: 100%;
  height: 26px;
  border: 1px solid var(--bar-rule);
  border-radius: 3px;
  background: var(--bar);
  color: inherit;
  font-size: 12.5px;
}
.ant-btn {
  color: var(--ink);
}
.without.on .ant-btn {
  background: var(--lamp);
  border-color: var(--lamp);
  color: var(--on-lamp);
}
</style>
