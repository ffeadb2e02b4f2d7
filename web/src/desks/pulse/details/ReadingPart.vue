<script setup lang="ts">
/** The groove reading in words: what falls silent, what gets through, what would fit better, and hearing all of it. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed } from "vue";
import { usePulses } from "@/session/pulses";
import { useSession } from "@/session/session";
import { useBypass } from "@/audio/bypass";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import EarMark from "@/ui/EarMark.vue";

const session = useSession();
const player = usePlayer();
const pulses = usePulses();
const monitor = useMonitor();
const without = useBypass();

const reading = computed(() => pulses.reading);
const percent = (share: number): string => `${Math.round(share * 100)} %`;
const weighed = computed(() => session.sourceById(pulses.weighedBy));
const whose = computed(() =>
  weighed.value?.id === pulses.owner
    ? t("readingPart.thePartSAccents")
    : t("readingPart.theAccentsOfName", { name: weighed.value?.name }),
);
const alike = computed(() => {
  const now = reading.value?.now;
  return now && Math.abs(now.left - now.right) < 0.005;
});
const offer = computed(() => {
  const { best, best_beats: beats, now } = reading.value ?? {};
  if (!best || !now) return null;
  const flip = best.flip !== now.flip ? "flip, " : "";
  return {
    values: { flip: best.flip, start_phase: best.start_phase },
    text: t(
      "readingPart.startPlusBeats",
      { flip, beats: Number(must(beats).toFixed(3)), score: percent(best.score) },
      must(beats),
    ),
  };
});

function hearWithout(): void {
  if (!pulses.isSource) {
    if (monitor.comparing) monitor.compare(false);
    else pulses.withoutIt();
    return;
  }
  without.treatment = "pulse";
  if (without.on) without.stop();
  else without.start(true);
}
</script>

<template>
  <section class="reading" :aria-label="$t('readingPart.grooveReading')">
    <h2 class="heading">{{ $t("readingPart.grooveReading") }}</h2>
    <p v-if="pulses.trouble" class="wrong" role="alert">{{ pulses.trouble }}</p>
    <div v-else-if="reading" :class="{ stale: pulses.stale }">
      <p class="sentence" role="status">{{ reading.sentence }}</p>
      <p v-if="reading.now" class="quiet">
        {{ $t("readingPart.whoseKept", { whose: whose }) }}
        <template v-if="alike">{{
          $t("readingPart.percentOnBothSides", { percent: percent(reading.now.left) })
        }}</template>
        <template v-else>
          <span class="side-left">{{
            $t("readingPart.leftPercent", { percent: percent(reading.now.left) })
          }}</span>,
          <span class="side-right">{{
            $t("readingPart.rightPercent", { percent: percent(reading.now.right) })
          }}</span>.
        </template>
      </p>
      <p v-else-if="pulses.stale" class="quiet">{{ $t("readingPart.measuringTheAccents") }}</p>
      <p v-else class="quiet">{{ $t("readingPart.noAccentsToWeighIt") }}</p>
    </div>
    <div class="acts">
      <Button
        v-if="offer && pulses.mayEdit"
        type="primary"
        size="small"
        :title="$t('readingPart.compareItOnlyForYou')"
        @click="pulses.tryOut(offer.values, offer.text)"
      >
        {{ $t("readingPart.tryOffer", { offer: offer.text }) }}
      </Button>
      <Button v-if="offer && pulses.mayEdit" size="small" @click="pulses.set(offer.values)">
        {{ $t("readingPart.apply") }}
      </Button>
      <label class="weigh quiet">
        {{ $t("readingPart.accentsFrom") }}
        <select v-model="pulses.accents" :aria-label="$t('readingPart.accentsFrom2')">
          <option value="">{{ $t("readingPart.itsOwnAccents") }}</option>
          <option v-for="one in session.sources" :key="one.id" :value="one.id">{{ one.name }}</option>
        </select>
      </label>
      <span class="personal">
        <EarMark />
        <Button
          size="small"
          class="lit"
          :aria-pressed="player.click"
          :title="$t('readingPart.metronomeKOnlyForYou')"
          @click="player.click = !player.click"
        >
          {{ $t("readingPart.metronome") }}
        </Button>
        <Button
          size="small"
          class="lit"
          :aria-pressed="without.on"
          :title="$t('readingPart.bypassItsPulseAtEqual')"
          @click="hearWithout"
        >
          {{ $t("readingPart.bypassHoldW") }}
        </Button>
      </span>
    </div>
    <p v-if="reading?.now && !pulses.stale" class="quiet small">
      {{
        $t("readingPart.offerOf32FlipsAnd", {
          offer: offer ? $t("readingPart.theBest") : $t("readingPart.thisIsAboutTheBest"),
          onsets: reading.onsets,
        })
      }}
    </p>
  </section>
</template>

<style scoped>
.reading {
  height: 100%;
  padding: 10px 16px 8px;
  overflow-y: auto;
  background: var(--raised);
  border-top: 1px solid var(--ink);
}
.sentence {
  margin-top: 3px;
  font-size: 15.5px;
  font-weight: 600;
}
.stale {
  opacity: 0.5;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 7px;
  align-items: center;
  margin-top: 7px;
}
.weigh {
  display: flex;
  gap: 5px;
  align-items: center;
  font-size: 12.5px;
}
.weigh select {
  max-width: 130px;
  height: 27px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  color: var(--ink);
}
.personal {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: auto;
  padding: 3px 7px;
  border-radius: 4px;
  background: var(--bar);
}
.small {
  margin-top: 5px;
  font-size: 12px;
}
.wrong {
  color: var(--wrong);
}
</style>
