<script setup lang="ts">
/** The playhead on the rule of the whole piece. */
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";

const session = useSession();
const player = usePlayer();
</script>

<template>
  <span class="head" :style="{ left: `${(100 * player.playhead) / Math.max(session.length, 1e-9)}%` }" />
</template>

<style scoped>
.head {
  position: absolute;
  inset-block: 0;
  width: 2px;
  margin-left: -1px;
  background: var(--bar-lit);
  pointer-events: none;
}
</style>
