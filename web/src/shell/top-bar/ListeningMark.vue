<script setup lang="ts">
/** What this person hears otherwise than the mix is delivered, plainly marked while it lasts, and ended by a press. */
import { t } from "@/words";
import { computed } from "vue";
import { useLibrary } from "@/session/library";
import { useRoom } from "@/session/room";
import { useBypass } from "@/audio/bypass";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { LOUDSPEAKERS, usePlayer } from "@/audio/player";

const player = usePlayer();
const library = useLibrary();
const room = useRoom();
const monitor = useMonitor();
const session = useSession();
const bypass = useBypass();

interface Mark {
  text: string;
  title: string;
  end: () => void;
}

/** Who is soloed: a name, or how many. */
const soloName = computed(() => {
  const [first, ...others] = [...new Set(player.solo.map((one) => one.split(".")[0]))];
  if (others.length) return t("listeningMark.several", { count: others.length + 1 });
  const document = session.document;
  return document?.sources[first ?? ""]?.name ?? document?.returns[first ?? ""]?.name ?? "";
});

/** So many have room in the bar; what is more is told, and ended, as one. */
const SHOWN = 2;
const visible = computed(() => {
  if (marks.value.length <= SHOWN) return marks.value;
  const rest = marks.value.slice(SHOWN - 1);
  const more: Mark = {
    text: t("listeningMark.more", { count: rest.length }),
    title: rest.map(({ title }) => title).join("\n"),
    end: () => rest.forEach((one) => one.end()),
  };
  return [...marks.value.slice(0, SHOWN - 1), more];
});

const marks = computed(() => {
  const way = library.library?.monitors.find((one) => one.name === player.monitor);
  const active: Mark[] = [];
  if (player.solo.length)
    active.push({
      text: t("listeningMark.solo", { name: soloName.value }),
      title: t("listeningMark.soloOnlyYouHear", { name: soloName.value }),
      end: () => (player.solo = []),
    });
  if (player.bypass)
    active.push({
      text: t("listeningMark.bypass"),
      title: t("listeningMark.bypassOf", {
        name: session.sourceById(player.bypass.source)?.name ?? "",
        treatment: library.library?.treatments[player.bypass.treatment] ?? player.bypass.treatment,
      }),
      end: bypass.stop,
    });
  const usual =
    way?.name === "stereo" || (room.surround && ["headphones", LOUDSPEAKERS].includes(way?.name ?? ""));
  if (way && !usual)
    active.push({
      text: way.title,
      title: t("listeningMark.monitoringTitleSentenceOnlyFor", { title: way.title, sentence: way.sentence }),
      end: () => monitor.latch(monitor.latched),
    });
  if (player.click)
    active.push({
      text: t("listeningMark.metronome"),
      title: t("listeningMark.metronomeOnOnlyForYou"),
      end: () => (player.click = false),
    });
  if (player.trial)
    active.push({
      text: "B",
      title: t("listeningMark.comparingBTheCounterweightOnly"),
      end: () => monitor.compare(false),
    });
  if (player.moves.length || player.earlier)
    active.push({
      text: t("listeningMark.b", { title: monitor.moves?.title ?? t("listeningMark.otherAutomation") }),
      title: player.earlier
        ? t("listeningMark.comparingAnEarlierRevisionAt")
        : t("listeningMark.comparingBAutomationThatHas"),
      end: () => monitor.compare(false),
    });
  return active;
});
</script>

<template>
  <div class="marks" role="status">
    <button v-for="mark in visible" :key="mark.text" :title="mark.title" @click="mark.end">
      <span class="text">{{ mark.text }}</span> <span aria-hidden="true">×</span>
    </button>
  </div>
</template>

<style scoped>
.marks {
  display: flex;
  gap: 5px;
}
.text {
  max-width: 108px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
button {
  display: flex;
  gap: 4px;
  align-items: center;
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
