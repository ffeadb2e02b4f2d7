<script setup lang="ts">
/** What the meters of the foot say in numbers: peak, momentary loudness, mono loss, correlation, lean. */
import { computed } from "vue";
import { usePeakHold } from "@/audio/peakHold";
import { usePlayer } from "@/audio/player";
import { useReading } from "@/audio/reading";
import { decibels, leanText, sideClass } from "@/domain/format";
import { LEAN_SCALE_DB } from "@/ui/drawing/paint";

/** `full`: the levels stand in rows of their own; only the lean is told here, below its needle's `centre` (px). */
defineProps<{ full: boolean; centre: number }>();
const player = usePlayer();
const { number, level } = useReading();
const peaks = usePeakHold();

const peak = computed(() => level(player.now ? Math.max(peaks.peaks.left, peaks.peaks.right) : null));
const momentary = computed(() => level(number("momentary")));
const monoLoss = computed(() => level(number("mono_loss")));
const correlation = computed(() => {
  const value = number("correlation");
  return value === null ? "–" : decibels(value, 2);
});
const lean = computed(() => leanText(number("lean_long")));
const side = computed(() => sideClass(number("lean_long")));
</script>

<template>
  <template v-if="!full">
    <div class="words start">
      <p>
        {{ $t("balanceFoot.peak") }} <b class="number">{{ peak }}</b>
      </p>
      <p>
        <b class="number">{{ momentary }}</b> {{ $t("balanceFoot.lUFS") }}
      </p>
    </div>
    <div class="words end">
      <p>
        {{ $t("balanceFoot.mono") }} <b class="number">{{ monoLoss }}</b> {{ $t("balanceFoot.dB") }}
      </p>
      <p>
        {{ $t("balanceFoot.corr") }} <b class="number">{{ correlation }}</b>
      </p>
    </div>
  </template>
  <p
    class="lean"
    :class="[side, { full }]"
    :style="full ? { left: `${centre}px` } : undefined"
    :title="$t('balanceFoot.n3SOnAScale', { LEAN_SCALE_DB: LEAN_SCALE_DB })"
  >
    <template v-if="!full">{{ $t("balanceFoot.lean") }} </template><span class="number">{{ lean }}</span>
  </p>
</template>

<style scoped>
.words {
  position: absolute;
  top: 13px;
  font-size: 12px;
  line-height: 1.35;
  color: var(--quiet);
  pointer-events: none;
}
.words b {
  font-weight: 500;
  color: var(--ink);
}
.start {
  left: 12px;
}
.end {
  right: 12px;
  text-align: right;
}
.lean {
  position: absolute;
  left: 12px;
  top: 55px;
  font-weight: 600;
}
.lean .number {
  margin-left: 0.4em;
}
.lean.full .number {
  margin-left: 0;
}
.lean.full {
  top: 126px;
  transform: translateX(-50%);
  padding: 0 6px;
  background: var(--raised);
}
</style>
