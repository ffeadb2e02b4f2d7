<script setup lang="ts">
/** Level as a butterfly on the chart's axis, and the lean needle below it: what sounds now, for this person. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed, ref } from "vue";
import { sized } from "@/ui/drawing/canvas";
import { usePainting } from "@/ui/drawing/painting";
import { palette } from "@/ui/palette";
import { usePeakHold } from "@/audio/peakHold";
import FootNumbers from "./FootNumbers.vue";
import { axisFor } from "@/ui/drawing/axis";
import { leanX } from "@/ui/drawing/paint";
import { decibels, sideClass } from "@/domain/format";
import { useSession } from "@/session/session";
import { useLean } from "@/audio/lean";
import { usePlayer } from "@/audio/player";

/** `full`: every level in a row of its own, with its name; otherwise a narrow foot with the numbers in words. */
const props = withDefaults(defineProps<{ width: number; full?: boolean }>(), { full: false });
const player = usePlayer();
const session = useSession();
const piece = useLean();
const peaks = usePeakHold();

const LOWEST_DB = -48;
const SCALE = [-36, -24, -12, -6];

const axis = computed(() => axisFor("pan", props.width));
const centre = computed(() => axis.value.x(0));
/** 0 dB stands short of the field's ends, which leaves room for the numbers. */
const half = computed(() => (axis.value.x(1) - centre.value) * 0.76);
const length = (db: number | undefined): number =>
  db === undefined || Number.isNaN(db) ? 0 : Math.max(0, Math.min(1, 1 - db / LOWEST_DB)) * half.value;

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

const zone = computed(() => leanX(axis.value, piece.lean?.tolerance_db ?? 0) - centre.value);
const leanTicks = [-6, -3, 3, 6];

const canvas = ref<HTMLCanvasElement>();
/** How wide (px) it is told that something was over. */
const OVER = 34;

/** Where a side was over the ceiling, and how far. */
function oversText(side: "left" | "right"): string {
  const found = must(peaks.overs[side]);
  return t("balanceFoot.overFrom", {
    highest: decibels(found.highest),
    first: session.grid.text(found.first),
    last: session.grid.text(found.last),
  });
}

const SIDES = [
  ["left", -1],
  ["right", 1],
] as const;

/** What moves: the levels to either side, the peaks that are held, and the needles. */
usePainting(() => {
  const element = canvas.value;
  if (!element) return;
  const { context } = sized(element, props.width, height.value);
  const reading = player.now;
  if (!reading) return;
  for (const row of rows.value)
    for (const [side, way] of SIDES) {
      context.globalAlpha = row.soft;
      context.fillStyle = side === "left" ? palette.leftSoft : palette.rightSoft;
      const long = length(reading[`${row.name}_${side}`]);
      context.fillRect(way < 0 ? centre.value - long : centre.value, row.y, long, row.height);
    }
  context.globalAlpha = 1;
  context.fillStyle = palette.ink;
  const top = must(rows.value[0]);
  for (const [side, way] of SIDES)
    context.fillRect(centre.value + way * length(peaks.peaks[side]) - 1, top.y - 1, 2, top.height + 2);
  paintNeedle(context, reading.lean_short, 56, 82, 3.5, palette.quiet, 0.5);
  paintNeedle(context, reading.lean_long, 50, 83, 5, palette.ink, 1);
});

function paintNeedle(
  context: CanvasRenderingContext2D,
  lean: number | undefined,
  tip: number,
  foot: number,
  wide: number,
  colour: string,
  share: number,
): void {
  if (lean === undefined || Number.isNaN(lean)) return;
  const [x, y] = [leanX(axis.value, lean), rule.value - 74.5];
  context.globalAlpha = share;
  context.fillStyle = colour;
  context.beginPath();
  context.moveTo(x, y + tip);
  context.lineTo(x + wide, y + foot);
  context.lineTo(x - wide, y + foot);
  context.fill();
  context.globalAlpha = 1;
}
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
      </template>
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
    </svg>
    <canvas ref="canvas" :style="{ width: `${width}px`, height: `${height}px` }" aria-hidden="true" />
    <template v-for="[side, way] in SIDES" :key="side">
      <button
        v-if="peaks.overs[side]"
        class="over"
        :style="{
          left: `${way < 0 ? axis.x(-1) : axis.x(1) - OVER}px`,
          top: `${must(rows[0]).y}px`,
          width: `${OVER}px`,
          height: `${must(rows[0]).height}px`,
        }"
        :aria-label="oversText(side)"
        :title="oversText(side)"
        @click="peaks.clear()"
      >
        {{ $t("balanceFoot.over") }}
      </button>
    </template>
    <FootNumbers :full="full" :centre="centre" />
  </section>
</template>

<style scoped>
.foot {
  position: relative;
  background: var(--raised);
  border-top: 2px solid var(--heavy);
  overflow: hidden;
}
svg,
canvas {
  display: block;
}
canvas {
  position: absolute;
  inset: 0;
  pointer-events: none;
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
.over {
  position: absolute;
  padding: 0;
  border: 0;
  border-radius: 0;
  background: var(--wrong);
  color: var(--raised);
  font: 600 10px/1 var(--mono);
  cursor: pointer;
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
</style>
