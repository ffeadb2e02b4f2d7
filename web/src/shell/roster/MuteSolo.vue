<script setup lang="ts">
/** Mute for everybody, and solo for oneself. */
defineProps<{ name: string; muted: boolean; soloed: boolean; disabled?: boolean }>();
defineEmits<{ mute: []; solo: [among: boolean] }>();
</script>

<template>
  <button
    class="small-button"
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
    :aria-pressed="soloed"
    :aria-label="$t('muteSolo.soloNameOnlyYouHear', { name: name })"
    :title="$t('muteSolo.soloOnlyForYouWith')"
    @click.stop="$emit('solo', $event.shiftKey || $event.metaKey)"
  >
    S
  </button>
</template>
