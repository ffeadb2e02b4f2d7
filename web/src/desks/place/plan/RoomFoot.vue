<script setup lang="ts">
/** The meters of a room: every channel in the layout's order, the lean to the sides and to front or back, loudness. */
import { t } from "@/words";
import { computed, ref, watch } from "vue";
import { decibels, leanText, sideClass } from "@/domain/format";
import { useRoom } from "@/session/room";
import { usePlayer } from "@/audio/player";

const props = defineProps<{ width: number }>();
const player = usePlayer();
const room = useRoom();

const LOWEST_DB = -54;
const HEIGHT = 60;
const HELD = 1500;

const now = computed(() => player.now);
const number = (name: string): number | null => {
  const value = now.value?.[name];
  return value === undefined || Number.isNaN(value) ? null : value;
};
const share = (db: number | null): number => (db === null ? 0 : Math.max(0, Math.min(1, 1 - db / LOWEST_DB)));

/** Every channel's highest peak, held for a while. */
const peaks = ref(new Map<string, { db: number; since: number }>());
watch(now, (reading) => {
  if (!reading) return peaks.value.clear();
  const time = performance.now();
  for (const { name } of room.channels) {
    const db = reading[`peak:${name}`] ?? LOWEST_DB;
    const held = peaks.value.get(name);
    if (!held || db >= held.db || time - held.since > HELD) peaks.value.set(name, { db, since: time });
  }
});
const bars = computed(() =>
  room.channels.map((one) => ({
    ...one,
    side: one.lfe
      ? "lfe"
      : one.azimuth > 0 && one.azimuth < 180
        ? "left"
        : one.azimuth < 0
          ? "right"
          : "centre",
    level: share(number(`rms:${one.name}`)) * HEIGHT,
    peak: share(peaks.value.get(one.name)?.db ?? null) * HEIGHT,
    said: number(`rms:${one.name}`),
  })),
);
/** On a narrow page the numbers stand below. */
const narrow = computed(() => props.width < 560);
const across = computed(() => (narrow.value ? props.width : props.width - 236));
const step = computed(() => Math.min(46, (across.value - 24) / Math.max(room.channels.length, 1)));
const wide = computed(() => Math.min(18, step.value - 4));
const depth = computed(() => {
  const value = number("depth_long");
  if (value === null) return "–";
  if (Math.abs(value) < 0.05) return t("format.even");
  return `${value > 0 ? "front" : "back"} ${Math.abs(value).toFixed(1)} dB`;
});
const db = (value: number | null): string =>
  value === null || value <= -119 ? "–" : decibels(value).replace("+", "");
</script>

<template>
  <section class="foot" :class="{ narrow }" :aria-label="$t('roomFoot.metersOfTheRoom')">
    <svg
      :width="Math.max(across, 60)"
      height="98"
      role="img"
      :aria-label="$t('roomFoot.levelOfEveryChannel')"
    >
      <g
        v-for="(bar, i) in bars"
        :key="bar.name"
        :class="bar.side"
        :transform="`translate(${16 + i * step} 6)`"
        :data-channel="bar.name"
      >
        <rect class="case" :width="wide" :height="HEIGHT" />
        <rect class="level" :width="wide" :y="HEIGHT - bar.level" :height="bar.level" />
        <line v-if="bar.peak > 0" x1="0" :x2="wide" :y1="HEIGHT - bar.peak" :y2="HEIGHT - bar.peak" />
        <text :x="wide / 2" :y="HEIGHT + 14" text-anchor="middle">{{ bar.label }}</text>
        <text class="db" :x="wide / 2" :y="HEIGHT + 25" text-anchor="middle">
          {{ bar.said === null || bar.said < -90 ? "" : Math.round(bar.said).toString().replace("-", "−") }}
        </text>
      </g>
    </svg>
    <dl>
      <dt>{{ $t("roomFoot.leftRight") }}</dt>
      <dd class="number" :class="sideClass(number('lean_long'))">{{ leanText(number("lean_long")) }}</dd>
      <dt>{{ $t("roomFoot.frontBack") }}</dt>
      <dd class="number">{{ depth }}</dd>
      <dt>{{ $t("roomFoot.loudness") }}</dt>
      <dd class="number">{{ $t("roomFoot.dbLUFS", { db: db(number("momentary")) }) }}</dd>
      <dt>{{ $t("roomFoot.monoDownmix") }}</dt>
      <dd class="number">{{ $t("roomFoot.dbDB", { db: db(number("mono_loss")) }) }}</dd>
    </dl>
  </section>
</template>

<style scoped>
.foot {
  display: flex;
  justify-content: space-between;
  height: 100px;
  background: var(--raised);
  border-top: 2px solid var(--heavy);
  overflow: hidden;
}
.narrow {
  display: block;
  height: auto;
  padding-bottom: 8px;
}
.narrow dl {
  grid-template-columns: auto 1fr auto 1fr;
  margin: 0 12px;
}
.narrow text {
  font-size: 9.5px;
}
.case {
  fill: var(--paper);
  stroke: var(--rule-strong);
}
.left .level {
  fill: var(--left-soft);
}
.right .level {
  fill: var(--right-soft);
}
.centre .level {
  fill: var(--grey);
}
.lfe .level {
  fill: var(--heavy);
}
line {
  stroke: var(--ink);
  stroke-width: 2;
}
text {
  font: 600 10.5px var(--sans);
  fill: var(--ink);
}
.db {
  font: 9.5px var(--mono);
  fill: var(--quiet);
}
dl {
  display: grid;
  grid-template-columns: auto auto;
  align-content: center;
  gap: 2px 14px;
  margin: 0 16px 0 0;
  font-size: 12.5px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  text-align: right;
  font-weight: 600;
}
</style>
