<script setup lang="ts">
/** Placing by a difference of arrival, and what one loudspeaker makes of it. */
import { Button } from "ant-design-vue";
import { radioKey } from "@/ui/radioKeys";
import { must } from "@/domain/must";
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import { decibels } from "@/domain/format";
import { useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import type { PlacementReading } from "./reading";
import { useSession } from "@/session/session";
import Slide from "@/ui/Slide.vue";
import MonoPicture from "./MonoPicture.vue";

const props = defineProps<{ source: Source; reading: PlacementReading | null }>();
const session = useSession();
const edits = useEdits();
const library = useLibrary();

const ways = [
  { name: "off", title: t("delayPart.off") },
  { name: "symmetric", title: t("delayPart.bothSides") },
  { name: "far-side", title: t("delayPart.farSideLate") },
];
const on = computed(() => props.source.delay_panning !== "off");
const limits = computed(() => library.library?.delay_panning_ms ?? [0.1, 30]);
const mono = computed(() => props.reading?.mono);
const micro = computed(() => {
  const difference = mono.value?.difference ?? 0;
  const late = difference > 0 ? "left" : "right";
  if (Math.abs(difference) < 1e-7) return t("delayPart.inTheCentreBothSides");
  return t("delayPart.theLateSideIsDifference", {
    late: late,
    difference: (Math.abs(difference) * 1000).toFixed(3),
  });
});
const better = computed(() => {
  if (!mono.value || mono.value.better_loss - mono.value.loss < 0.02) return null;
  return mono.value;
});
</script>

<template>
  <div class="ways" role="radiogroup" :aria-label="$t('delayPart.delayPanning')" @keydown="radioKey">
    <Button
      v-for="way in ways"
      :key="way.name"
      size="small"
      role="radio"
      :tabindex="source.delay_panning === way.name ? 0 : -1"
      :aria-checked="source.delay_panning === way.name"
      :aria-pressed="source.delay_panning === way.name"
      :disabled="!session.mayEdit"
      @click="edits.place(source, { delay_panning: way.name })"
    >
      {{ way.title }}
    </Button>
  </div>
  <template v-if="on">
    <Slide
      live
      :title="$t('delayPart.delayAtHardLR')"
      :label="$t('delayPart.delayBetweenTheSidesAt')"
      :value="source.delay_panning_ms"
      :low="must(limits[0])"
      :high="must(limits[1])"
      :step="0.01"
      :initial="0.7"
      unit="ms"
      ratio
      :disabled="!session.mayEdit"
      @set="edits.place(source, { delay_panning_ms: $event })"
    />
    <Slide
      live
      :title="$t('delayPart.levelShare')"
      :label="$t('delayPart.shareOfThePanThat')"
      :value="Math.round(source.level_share * 100)"
      :low="0"
      :high="100"
      :step="1"
      :initial="0"
      unit="%"
      :disabled="!session.mayEdit"
      @set="edits.place(source, { level_share: $event / 100 })"
    />
    <p class="note">{{ micro }}</p>
    <template v-if="mono">
      <MonoPicture :mono="mono" />
      <p class="note" role="status">
        {{ $t("delayPart.inMonoThisSourceLoses") }}
        <b class="number">{{ $t("delayPart.lossDB", { loss: decibels(mono.loss).replace("+", "") }) }}</b>.
        <template v-if="mono.notches.length">
          {{ $t("delayPart.firstGapAtNotchesHz", { notches: Math.round(must(mono.notches[0])) }) }}
        </template>
      </p>
      <Button
        v-if="better"
        size="small"
        class="better"
        :disabled="!session.mayEdit"
        @click="edits.place(source, { delay_panning_ms: better.better })"
      >
        {{
          $t("delayPart.takeBetterMsBetterLoss", {
            better: better.better.toFixed(3),
            better_loss: decibels(better.better_loss).replace("+", ""),
          })
        }}
      </Button>
      <p v-else-if="mono.difference" class="quiet note">{{ $t("delayPart.noDelayWithin02") }}</p>
    </template>
  </template>
  <p v-else class="quiet note">{{ $t("delayPart.offPannedByLevelA") }}</p>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 5px;
  margin-bottom: 5px;
}
.ways button {
  flex: 1;
}
.note {
  margin-top: 4px;
  font-size: 12px;
}
.better {
  margin-top: 6px;
  width: 100%;
}
</style>
