<script setup lang="ts">
/** What this person hears otherwise than the mix is delivered, plainly marked while it lasts, and ended by a press. */
import { t } from "@/words";
import { computed } from "vue";
import { useLibrary } from "@/session/library";
import { useRoom } from "@/session/room";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";

const player = usePlayer();
const library = useLibrary();
const room = useRoom();
const monitor = useMonitor();

const marks = computed(() => {
  const way = library.library?.monitors.find((one) => one.name === player.monitor);
  const found = [];
  const usual = way?.name === "stereo" || (way?.name === "headphones" && room.surround);
  if (way && !usual)
    found.push({
      text: way.title,
      title: t("listeningMark.monitoringTitleSentenceOnlyFor", { title: way.title, sentence: way.sentence }),
      end: () => monitor.latch(monitor.latched),
    });
  if (player.click)
    found.push({
      text: "click",
      title: t("listeningMark.metronomeOnOnlyForYou"),
      end: () => (player.click = false),
    });
  if (player.trial)
    found.push({
      text: "B",
      title: t("listeningMark.comparingBTheCounterweightOnly"),
      end: () => monitor.compare(false),
    });
  if (player.moves.length || player.earlier)
    found.push({
      text: `B: ${monitor.moves?.title ?? t("listeningMark.otherAutomation")}`,
      title: player.earlier
        ? t("listeningMark.comparingAnEarlierRevisionAt")
        : t("listeningMark.comparingBAutomationThatHas"),
      end: () => monitor.compare(false),
    });
  return found;
});
</script>

<template>
  <div class="marks" role="status">
    <button v-for="mark in marks" :key="mark.text" :title="mark.title" @click="mark.end">
      {{ mark.text }} <span aria-hidden="true">×</span>
    </button>
  </div>
</template>

<style scoped>
.marks {
  display: flex;
  gap: 5px;
}
button {
  height: 24px;
  padding: 0 9px;
  border: 0;
  border-radius: 3px;
  background: var(--lamp);
  color: var(--on-lamp);
  font-weight: 600;
  font-size: 13px;
  cursor: pointer;
}
</style>
