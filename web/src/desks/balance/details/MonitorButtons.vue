<script setup lang="ts">
/** Ways of listening, only for oneself: pressed shortly they stay, held they last as long as they are held. */
import { Button } from "ant-design-vue";
import { computed } from "vue";
import { useLibrary } from "@/session/library";
import { useMonitor } from "@/audio/monitor";
import { LOUDSPEAKERS, usePlayer } from "@/audio/player";
import { useRoom } from "@/session/room";
import EarMark from "@/ui/EarMark.vue";
import { usePointerDrag } from "@/ui/pointerDrag";

const library = useLibrary();
const player = usePlayer();
const room = useRoom();
const monitor = useMonitor();
/** Loudspeakers of their own are there for a room's channels. */
const monitors = computed(() =>
  (library.library?.monitors ?? []).filter(({ name }) => room.surround || name !== LOUDSPEAKERS),
);

/** A press that is shorter (ms) is meant to stay. */
const SHORT = 350;
let since = 0;
const press = usePointerDrag<string>({
  start: (_, name) => {
    since = performance.now();
    monitor.hold(name);
    return true;
  },
  move: () => undefined,
  end: (_, name) => (performance.now() - since < SHORT ? monitor.latch(name) : monitor.letGo()),
  cancel: () => monitor.letGo(),
});

/** From the keyboard there is no press to measure. */
function click(name: string, event: MouseEvent): void {
  if (event.detail === 0) monitor.latch(name);
}
</script>

<template>
  <section :aria-label="$t('monitorButtons.monitoringOnlyForYou')">
    <h3 class="heading"><EarMark /> {{ $t("monitorButtons.monitoringOnlyYou") }}</h3>
    <div class="ways">
      <Button
        v-for="one in monitors"
        :key="one.name"
        size="small"
        :class="{ lit: one.name !== 'stereo' }"
        :aria-pressed="player.monitor === one.name"
        :title="
          $t('monitorButtons.sentenceHoldOrPressTo', {
            sentence: one.sentence,
            stay: one.name === 'mono' ? $t('monitorButtons.holdMOrShiftM') : '',
          })
        "
        v-on="press.follow"
        @pointerdown="press.down($event, one.name)"
        @click="click(one.name, $event)"
      >
        {{ one.title }}
      </Button>
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
