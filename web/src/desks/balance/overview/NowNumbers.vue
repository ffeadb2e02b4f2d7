<script setup lang="ts">
/** What sounds now, besides level and lean: the phase picture, correlation, mono, and loudness over three spans. */
import { t } from "@/words";
import { computed } from "vue";
import { decibels } from "@/domain/format";
import { useLean } from "@/audio/lean";
import { usePlayer } from "@/audio/player";
import PhasePicture from "./PhasePicture.vue";

const player = usePlayer();
const lean = useLean();

const number = (name: string, digits: number): string => {
  const value = player.now?.[name];
  return value === undefined || Number.isNaN(value) || value <= -119 ? "–" : decibels(value, digits);
};
const rows = computed(() => [
  { title: t("nowNumbers.correlation"), value: number("correlation", 2), unit: "" },
  { title: t("nowNumbers.inMono"), value: number("mono_loss", 1), unit: "dB" },
  { title: t("nowNumbers.momentary"), value: number("momentary", 1), unit: "" },
  { title: t("nowNumbers.shortTerm"), value: number("short_term", 1), unit: "" },
  {
    title: t("nowNumbers.integrated"),
    hint: t("nowNumbers.ofTheTitleInThe", { title: lean.stretch.title }),
    value: lean.lean?.figures.integrated_lufs == null ? "–" : decibels(lean.lean.figures.integrated_lufs),
    unit: "LUFS",
  },
]);
</script>

<template>
  <section class="now" :aria-label="$t('nowNumbers.phaseAndLoudnessNow')">
    <PhasePicture :size="134" />
    <dl>
      <div v-for="row in rows" :key="row.title" :title="row.hint">
        <dt>{{ row.title }}</dt>
        <dd class="number">
          {{ row.value }}<small v-if="row.unit"> {{ row.unit }}</small>
        </dd>
      </div>
    </dl>
  </section>
</template>

<style scoped>
.now {
  flex: none;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 0 10px 0 6px;
  border-top: 2px solid var(--heavy);
}
dl {
  flex: 1;
  display: grid;
  gap: 2px;
  margin: 0;
}
dl div {
  line-height: 1.12;
}
dt {
  font-size: 11px;
  color: var(--quiet);
}
dd {
  margin: 0;
  font-size: 13px;
  font-weight: 600;
  white-space: nowrap;
}
small {
  margin-left: 3px;
  font-weight: 400;
  color: var(--quiet);
}
</style>
