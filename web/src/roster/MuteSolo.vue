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
    :aria-label="`Mute ${name} for everybody`"
    title="Mute, for everybody"
    @click.stop="$emit('mute')"
  >
    M
  </button>
  <button
    class="small-button lit"
    :aria-pressed="soloed"
    :aria-label="`Solo ${name}, only you hear it`"
    title="Solo, only for you (with Shift: several)"
    @click.stop="$emit('solo', $event.shiftKey || $event.metaKey)"
  >
    S
  </button>
</template>
