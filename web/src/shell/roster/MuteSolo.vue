<script setup lang="ts">
/** Mute for everybody, and solo for oneself. */
defineProps<{
  name: string;
  muted: boolean;
  soloed: boolean;
  disabled?: boolean;
  /** The tabindex of each, in a list with one tab stop. */
  stop?: (name: string) => 0 | -1;
}>();
defineEmits<{ mute: []; solo: [among: boolean] }>();
</script>

<template>
  <button
    class="small-button"
    data-stop="mute"
    :tabindex="stop?.('mute')"
    :aria-pressed="muted"
    :disabled="disabled"
    :aria-label="$t('muteSolo.muteNameForEverybody', { name: name })"
    :title="$t('muteSolo.muteForEverybody')"
    @click.stop="$emit('mute')"
  >
    M
  </button>
  <button
    class="small-button lit"
    data-stop="solo"
    :tabindex="stop?.('solo')"
    :aria-pressed="soloed"
    :aria-label="$t('muteSolo.soloNameOnlyYouHear', { name: name })"
    :title="$t('muteSolo.soloOnlyForYouWith')"
    @click.stop="$emit('solo', $event.shiftKey || $event.metaKey)"
  >
    S
  </button>
</template>

<style scoped>
/* On a phone a finger finds them. */
@media (max-width: 760px) {
  button.small-button {
    min-width: 40px;
    height: 40px;
  }
}
</style>
