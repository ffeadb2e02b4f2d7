<script setup lang="ts">
/** In which form sound comes here, only for oneself; a press shows why, and what it goes through. */
import { computed } from "vue";
import { useOutputs } from "@/audio/outputs";
import { usePlayer } from "@/audio/player";
import { speedText } from "@/domain/sound";
import { formText, shortFormText } from "@/features/sound/forms";
import EarMark from "@/ui/EarMark.vue";
import { t } from "@/words";

defineEmits<{ open: [] }>();
const player = usePlayer();
const outputs = useOutputs();

/** What is heard otherwise than it is: nothing is said of sound as it was rendered. */
const label = computed(() =>
  [player.form === "float" ? "" : shortFormText(player.form), outputs.dimmed ? t("soundButton.dimmed") : ""]
    .filter(Boolean)
    .join(" · "),
);
const title = computed(() => {
  const form = formText(player.form);
  const comes =
    player.speed === null
      ? t("soundDialog.comesAs", { form })
      : t("soundDialog.comesAsBecause", { form, carries: speedText(player.speed) });
  return `${comes} ${t("soundButton.pressFor")}`;
});
</script>

<template>
  <button
    class="sound"
    :title="title"
    :aria-label="$t('soundDialog.soundOnThisDevice')"
    @click="$emit('open')"
  >
    <EarMark />
    <span v-if="label" class="form">{{ label }}</span>
  </button>
</template>

<style scoped>
.sound {
  display: flex;
  gap: 4px;
  align-items: center;
  height: 26px;
  padding: 0 4px;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  color: var(--bar-quiet);
  font-size: 11px;
  white-space: nowrap;
  cursor: pointer;
}
.sound:hover {
  border-color: var(--bar-rule);
}
@media (max-width: 640px) {
  .form {
    display: none;
  }
}
</style>
