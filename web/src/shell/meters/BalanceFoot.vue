<script setup lang="ts">
/** Level as a butterfly on the chart's axis, and the lean needle below it: what sounds now, for this person. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed, ref, watch } from "vue";
import { axisFor } from "@/ui/drawing/axis";
import { LEAN_SCALE_DB, leanX } from "@/ui/drawing/paint";
import { decibels, leanText, sideClass } from "@/domain/format";
import { useLean } from "@/audio/lean";
import { useTarget } from "@/audio/target";
import { usePlayer } from "@/audio/player";

/** `full`: every level in a row of its own, with its name; otherwise a narrow foot with the numbers in words. */
const props = defineProps<{ width: number; full?: boolean }>();
const player = usePlayer();
const piece = useLean();
const target = useTarget();

const LOWEST_DB = -48;
/** How long a peak is held before it falls (ms). */
const HELD = 1500;
const SCALE = [-36, -24, -12, -6];

const axis = computed(() => axisFor("pan", props.width));
const centre = computed(() => axis.value.x(0));
/** 0 dB stands short of the field's ends, which leaves room for the numbers. */
const half = computed(() => (axis.value.x(1) - centre.value) * 0.76);
const length = (db: number | undefined): number =>
  db === undefined || Number.isNaN(db) ? 0 : Math.max(0, Math.min(1, 1 - db / LOWEST_DB)) * half.value;

const now = computed(() => player.now);
const number = (name: string): number | null => {
  const value = now.value?.[name];
  return value === undefined || Number.isNaN(value) ? null : value;
};
const rows = computed(() =>
  props.full
    ? [
        { name: "peak", y: 17, height: 12, soft: 1, title: t("balanceFoot.peak") },
        { name: "rms", y: 33, height: 10, soft: 0.75, title: t("balanceFoot.rMS") },
        { name: "k", y: 47, height: 10, soft: 0.5, title: "K" },
      ]
    : [
        { name: "peak", y: 16, height: 11, soft: 1, title: t("balanceFoot.peak") },
        { name: "rms", y: 29, height: 7, soft: 0.55 },
      ],
);
/** Where the needle's rule lies, and how high it all is. */
const rule = computed(() => (props.full ? 106 : 74.5));
const height = computed(() => (props.full ? 150 : 98));

const lean = computed(() => number("lean_long"));
const quick = computed(() => number("lean_short"));
const needle = computed(() => (lean.value === null ? centre.value : leanX(axis.value, lean.value)));
const quickNeedle = computed(() => (quick.value === null ? null : leanX(axis.value, quick.value)));
const zone = computed(() => leanX(axis.value, piece.lean?.tolerance_db ?? 0) - centre.value);
const leanTicks = [-6, -3, 3, 6];

/** Either side's highest peak, held for a while; and whether a true peak was over the target's ceiling. */
const nothing = () => ({ left: -Infinity, right: -Infinity, since: 0 });
const held = ref(nothing());
const over = ref({ left: false, right: false });
watch(now, (reading) => {
  if (!reading) {
    held.value = nothing();
    return;
  }
  const [l, r] = [must(reading.peak_left), must(reading.peak_right)];
  const { left, right, since } = held.value;
  const time = performance.now();
  const higher = l > left || r > right;
  if (time - since > HELD) held.value = { left: l, right: r, since: time };
  else if (higher) held.value = { left: Math.max(left, l), right: Math.max(right, r), since: time };
  const ceiling = target.target?.dbtp ?? 0;
  if (must(reading.true_peak_left) > ceiling || must(reading.true_peak_right) > ceiling)
    over.value = {
      left: over.value.left || must(reading.true_peak_left) > ceiling,
      right: over.value.right || must(reading.true_peak_right) > ceiling,
    };
});
watch(
  () => player.playing,
  (playing) => playing && (over.value = { left: false, right: false }),
);
const peak = computed(() => Math.max(held.value.left, held.value.right));
const db = (value: number | null, digits = 1): string =>
  value === null || value <= -119 ? "–" : decibels(value, digits).replace("+", "");
</script>

<template>
  <section
    class="foot"
    :class="{ full }"
    :style="{ height: `${height + 2}px` }"
    :aria-label="$t('balanceFoot.balanceNow')"
  >
    <svg :width="width" :height="height" aria-hidden="true">
      <g class="scale">
        <template v-for="mark in SCALE" :key="mark">
          <text :x="centre - length(mark)" y="11">{{ -mark }}</text>
          <text :x="centre + length(mark)" y="11">{{ -mark }}</text>
        </template>
      </g>
      <template v-for="row in rows" :key="row.name">
        <text v-if="full" class="row" x="12" :y="row.y + row.height - 2">{{ row.title ?? row.name }}</text>
        <template v-if="now">
          <rect
            v-for="side in ['left', 'right']"
            :key="side"
            :class="side"
            :x="side === 'left' ? centre - length(now[`${row.name}_left`]) : centre"
            :y="row.y"
            :width="length(now[`${row.name}_${side}`])"
            :height="row.height"
            :opacity="row.soft"
          />
        </template>
      </template>
      <template v-if="now">
        <line
          class="hold"
          :x1="centre - length(held.left)"
          :x2="centre - length(held.left)"
          :y1="must(rows[0]).y - 1"
          :y2="must(rows[0]).y + must(rows[0]).height + 1"
        />
        <line
          class="hold"
          :x1="centre + length(held.right)"
          :x2="centre + length(held.right)"
          :y1="must(rows[0]).y - 1"
          :y2="must(rows[0]).y + must(rows[0]).height + 1"
        />
      </template>
      <g v-if="full" class="over">
        <rect
          v-if="over.left"
          :x="axis.x(-1)"
          :y="must(rows[0]).y"
          width="30"
          :height="must(rows[0]).height"
        />
        <text v-if="over.left" :x="axis.x(-1) + 15" :y="must(rows[0]).y + 10">
          {{ $t("balanceFoot.over") }}
        </text>
        <rect
          v-if="over.right"
          :x="axis.x(1) - 30"
          :y="must(rows[0]).y"
          width="30"
          :height="must(rows[0]).height"
        />
        <text v-if="over.right" :x="axis.x(1) - 15" :y="must(rows[0]).y + 10">
          {{ $t("balanceFoot.over") }}
        </text>
      </g>
      <line class="centre" :x1="centre" :x2="centre" y1="2" :y2="height" />
      <g class="needle-scale">
        <text v-if="full" class="row" x="12" :y="rule + 4">{{ $t("balanceFoot.lean") }}</text>
        <rect :x="centre - zone" :y="rule - 4.5" :width="2 * zone" height="9" />
        <line :x1="axis.x(-1)" :x2="axis.x(1)" :y1="rule" :y2="rule" />
        <template v-for="tick in leanTicks" :key="tick">
          <line :x1="leanX(axis, tick)" :x2="leanX(axis, tick)" :y1="rule - 4.5" :y2="rule + 4.5" />
          <text :x="leanX(axis, tick)" :y="rule + 16.5" :class="sideClass(tick)">
            {{ Math.abs(tick) }} {{ tick < 0 ? "L" : "R" }}
          </text>
        </template>
      </g>
      <path
        v-if="quickNeedle !== null"
        class="quick"
        :transform="`translate(${quickNeedle} ${rule - 74.5})`"
        d="M0 56 L3.5 82 H-3.5 Z"
      />
      <path
        v-if="lean !== null"
        class="needle"
        :transform="`translate(${needle} ${rule - 74.5})`"
        d="M0 50 L5 83 H-5 Z"
      />
    </svg>
    <template v-if="!full">
      <div class="words start">
        <p>
          {{ $t("balanceFoot.peak") }} <b class="number">{{ db(now ? peak : null) }}</b>
        </p>
        <p>
          <b class="number">{{ db(number("momentary")) }}</b> {{ $t("balanceFoot.lUFS") }}
        </p>
      </div>
      <div class="words end">
        <p>
          {{ $t("balanceFoot.mono") }} <b class="number">{{ db(number("mono_loss")) }}</b>
          {{ $t("balanceFoot.dB") }}
        </p>
        <p>
          {{ $t("balanceFoot.corr") }}
          <b class="number">{{
            number("correlation") === null ? "–" : decibels(must(number("correlation")), 2)
          }}</b>
        </p>
      </div>
    </template>
    <p
      class="lean"
      :class="sideClass(lean)"
      :style="full && { left: `${centre}px` }"
      :title="$t('balanceFoot.n3SOnAScale', { LEAN_SCALE_DB: LEAN_SCALE_DB })"
    >
      <template v-if="!full">{{ $t("balanceFoot.lean") }} </template><span class="number">{{
        leanText(lean)
      }}</span>
    </p>
  </section>
</template>

<style scoped>
.foot {
  position: relative;
  background: var(--raised);
  border-top: 2px solid var(--heavy);
  overflow: hidden;
}
svg {
  display: block;
}
text {
  font: 10px var(--mono);
  text-anchor: middle;
  fill: var(--quiet);
}
text.side-left {
  fill: var(--left);
}
text.side-right {
  fill: var(--right);
}
.left {
  fill: var(--left-soft);
}
.right {
  fill: var(--right-soft);
}
.hold {
  stroke: var(--ink);
  stroke-width: 2;
}
.over rect {
  fill: var(--wrong);
}
.over text {
  fill: var(--raised);
  font-weight: 600;
}
text.row {
  font: 11px var(--sans);
  text-anchor: start;
}
.centre {
  stroke: var(--ink);
}
.needle-scale rect {
  fill: var(--rule);
}
.needle-scale line {
  stroke: var(--rule-strong);
}
.needle {
  fill: var(--ink);
}
.quick {
  fill: var(--quiet);
  opacity: 0.5;
}
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
.full .lean {
  top: 126px;
  transform: translateX(-50%);
  padding: 0 6px;
  background: var(--raised);
}
</style>
