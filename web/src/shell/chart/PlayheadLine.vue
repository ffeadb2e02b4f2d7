<script setup lang="ts">
/** The playhead's line over a picture whose time runs down. */
import { usePlayer } from "@/audio/player";

defineProps<{ top: number; scale: number }>();
const player = usePlayer();
</script>

<template>
  <div
    class="playhead"
    :style="{ transform: `translateY(${Math.round((player.playhead - top) * scale)}px)` }"
  />
</template>

<style scoped>
.playhead {
  position: absolute;
  top: -1px;
  left: 22px;
  right: 0;
  height: 2px;
  background: var(--lamp);
  pointer-events: none;
  will-change: transform;
}
</style>
