<script setup lang="ts">
/** Ways of listening, only for oneself: pressed shortly they stay, held they last as long as they are held. */
import { computed } from "vue";
import { useLibrary } from "@/session/library";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import EarMark from "@/ui/EarMark.vue";

const library = useLibrary();
const player = usePlayer();
const monitor = useMonitor();
const monitors = computed(() => library.library?.monitors ?? []);

/** A press that is shorter (ms) is meant to stay. */
const SHORT = 350;
let since = 0;
let held = "";

function down(name: string, event: PointerEvent): void {
  if (event.button) return;
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  since = performance.now();
  held = name;
  monitor.hold(name);
}

function up(): void {
  if (!held) return;
  if (performance.now() - since < SHORT) monitor.latch(held);
  else monitor.letGo();
  held = "";
}

/** From the keyboard there is no press to measure. */
function click(name: string, event: MouseEvent): void {
  if (event.detail === 0) monitor.latch(name);
}
</script>

<template>
  <section :aria-label="$t('monitorButtons.monitoringOnlyForYou')">
    <h3 class="heading"><EarMark /> {{ $t("monitorButtons.monitoringOnlyYou") }}</h3>
    <div class="ways">
      <button
        v-for="one in monitors"
        :key="one.name"
        class="small-button"
        :class="{ lit: one.name !== 'stereo' }"
        :aria-pressed="player.monitor === one.name"
        :title="
          $t('monitorButtons.sentenceHoldOrPressTo', {
            sentence: one.sentence,
            stay: one.name === 'mono' ? $t('monitorButtons.holdMOrShiftM') : '',
          })
        "
        @pointerdown="down(one.name, $event)"
        @pointerup="up"
        @pointercancel="up"
        @click="click(one.name, $event)"
      >
        {{ one.title }}
      </button>
    </div>
  </section>
</template>

<style scoped>
.heading {
  display: flex;
  align-items: center;
  gap: 6px;
}
.ways {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 5px;
  margin-top: 6px;
}
.ways button {
  height: 27px;
  font-size: 13px;
  touch-action: none;
}
</style>
