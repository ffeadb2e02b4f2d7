<script setup lang="ts">
/** Level as a butterfly on the chart's axis, and the lean needle below it: what sounds now, for this person. */
import { computed, ref, watch } from "vue";
import { axisFor } from "@/chart/axis";
import { LEAN_SCALE_DB, leanX } from "@/chart/paint";
import { decibels, leanText, sideClass } from "@/geometry/pan";
import { useLean } from "@/session/lean";
import { usePlayer } from "@/sound/player";

const props = defineProps<{ width: number }>();
const player = usePlayer();
const piece = useLean();

const LOWEST_DB = -48;
const HOLD_FRAMES = 60;
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
const lean = computed(() => number("lean_long"));
const quick = computed(() => number("lean_short"));
const needle = computed(() => (lean.value === null ? centre.value : leanX(axis.value, lean.value)));
const quickNeedle = computed(() => (quick.value === null ? null : leanX(axis.value, quick.value)));
const zone = computed(() => leanX(axis.value, piece.lean?.tolerance_db ?? 0) - centre.value);
const leanTicks = [-6, -3, 3, 6];

/** The highest peak of either side, held for about a second. */
const held = ref({ left: -Infinity, right: -Infinity, age: 0 });
watch(now, (reading) => {
  if (!reading) {
    held.value = { left: -Infinity, right: -Infinity, age: 0 };
    return;
  }
  const { left, right, age } = held.value;
  const [l, r] = [reading.peak_left!, reading.peak_right!];
  const higher = l > left || r > right || age > HOLD_FRAMES;
  held.value =
    age > HOLD_FRAMES
      ? { left: l, right: r, age: 0 }
      : { left: Math.max(left, l), right: Math.max(right, r), age: higher ? 0 : age + 1 };
});
const peak = computed(() => Math.max(held.value.left, held.value.right));
const db = (value: number | null, digits = 1): string =>
  value === null || value <= -119 ? "–" : decibels(value, digits).replace("+", "");
</script>

<template>
  <section class="foot" aria-label="Balance now">
    <svg :width="width" height="98" aria-hidden="true">
      <g class="scale">
        <template v-for="mark in SCALE" :key="mark">
          <text :x="centre - length(mark)" y="11">{{ -mark }}</text>
          <text :x="centre + length(mark)" y="11">{{ -mark }}</text>
        </template>
      </g>
      <g v-if="now">
        <rect
          class="left"
          :x="centre - length(now.peak_left)"
          y="16"
          :width="length(now.peak_left)"
          height="11"
        />
        <rect class="right" :x="centre" y="16" :width="length(now.peak_right)" height="11" />
        <rect
          class="left soft"
          :x="centre - length(now.rms_left)"
          y="29"
          :width="length(now.rms_left)"
          height="7"
        />
        <rect class="right soft" :x="centre" y="29" :width="length(now.rms_right)" height="7" />
        <line
          class="hold left"
          :x1="centre - length(held.left)"
          :x2="centre - length(held.left)"
          y1="15"
          y2="28"
        />
        <line
          class="hold right"
          :x1="centre + length(held.right)"
          :x2="centre + length(held.right)"
          y1="15"
          y2="28"
        />
      </g>
      <line class="centre" :x1="centre" :x2="centre" y1="2" y2="98" />
      <g class="needle-scale">
        <rect :x="centre - zone" y="70" :width="2 * zone" height="9" />
        <line :x1="axis.x(-1)" :x2="axis.x(1)" y1="74.5" y2="74.5" />
        <template v-for="tick in leanTicks" :key="tick">
          <line :x1="leanX(axis, tick)" :x2="leanX(axis, tick)" y1="70" y2="79" />
          <text :x="leanX(axis, tick)" y="91" :class="sideClass(tick)">
            {{ Math.abs(tick) }} {{ tick < 0 ? "L" : "R" }}
          </text>
        </template>
      </g>
      <path
        v-if="quickNeedle !== null"
        class="quick"
        :transform="`translate(${quickNeedle} 0)`"
        d="M0 56 L3.5 82 H-3.5 Z"
      />
      <path v-if="lean !== null" class="needle" :transform="`translate(${needle} 0)`" d="M0 50 L5 83 H-5 Z" />
    </svg>
    <div class="words start">
      <p>
        peak <b class="number">{{ db(now ? peak : null) }}</b>
      </p>
      <p>
        <b class="number">{{ db(number("momentary")) }}</b> LUFS
      </p>
    </div>
    <div class="words end">
      <p>
        mono <b class="number">{{ db(number("mono_loss")) }}</b> dB
      </p>
      <p>
        corr
        <b class="number">{{ number("correlation") === null ? "–" : decibels(number("correlation")!, 2) }}</b>
      </p>
    </div>
    <p
      class="lean"
      :class="sideClass(lean)"
      :title="`3 s, on a scale of ${LEAN_SCALE_DB} dB; thin hand: 400 ms`"
    >
      lean <span class="number">{{ leanText(lean) }}</span>
    </p>
  </section>
</template>

<style scoped>
.foot {
  position: relative;
  height: 100px;
  background: var(--raised);
  border-top: 2px solid #8b9690;
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
  fill: #c1714f;
}
.right {
  fill: #43838a;
}
.soft {
  opacity: 0.55;
}
.hold {
  stroke: var(--ink);
  stroke-width: 2;
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
</style>
