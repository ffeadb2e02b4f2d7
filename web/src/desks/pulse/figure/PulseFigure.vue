<script setup lang="ts">
/** A pulse through one bar: the left side's gain to the left, the right side's to the right, silent beats marked. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed } from "vue";
import { inkOf } from "@/ui/theme";
import { usePulses } from "@/session/pulses";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import {
  beatY,
  centreOf,
  FOOT,
  HEAD,
  marksOf,
  placePath,
  reachOf,
  ROOM,
  sidePath,
  type Frame,
} from "./figure";

const props = defineProps<{ width: number; height: number }>();
const session = useSession();
const player = usePlayer();
const pulses = usePulses();

const GAINS = [
  { gain: 1, text: "0" },
  { gain: 0.5012, text: "−6" },
  { gain: 0.2512, text: "−12" },
];
const PLACES = [-1, -0.5, 0.5, 1];
const reading = computed(() => pulses.reading);
const count = computed(() => Math.round((reading.value?.beats.at(-1) ?? 5) - 1));
const frame = computed<Frame>(() => ({ width: props.width, height: props.height, count: count.value }));
const centre = computed(() => centreOf(frame.value));
const reach = computed(() => reachOf(frame.value));
const left = computed(() => sidePath(frame.value, reading.value?.beats ?? [], reading.value?.left ?? [], -1));
const right = computed(() =>
  sidePath(frame.value, reading.value?.beats ?? [], reading.value?.right ?? [], 1),
);
const byPlace = computed(() => ["place", "turn"].includes(pulses.pulse?.form ?? ""));
const lines = computed(() => {
  const places = reading.value?.places;
  if (!places) return [];
  const both = pulses.source?.mode === "sides" ? places : places.slice(0, 1);
  return both.map((row) => placePath(frame.value, must(reading.value).beats, row));
});
const colour = computed(() => (pulses.source ? inkOf(pulses.source.colour) : "var(--ink)"));

const beats = computed(() =>
  Array.from({ length: count.value }, (_, i) => ({
    beat: i + 1,
    y: beatY(frame.value, i + 1),
    half: beatY(frame.value, i + 1.5),
  })),
);
const marks = computed(() =>
  (reading.value?.marks ?? []).flatMap(({ beat, name, left, right }) => {
    const atBeat = marksOf(must(reading.value), beat);
    const gains = t("pulseFigure.leftLeftRightRight", {
      left: (left * 100).toFixed(0),
      right: (right * 100).toFixed(0),
    });
    const y = beatY(frame.value, beat);
    return atBeat.map((mark) => ({
      ...mark,
      beat,
      y,
      title: t("pulseFigure.beatNameGains", { name: name, gains: gains }),
    }));
  }),
);
const CELL = 50;
const cellX = (side: string): number => props.width - (side === "left" ? 2 * CELL + 8 : CELL + 5);
/** Half-beats get a word where there is room for it. */
const roomy = computed(() => (props.height - HEAD - FOOT) / count.value > 56);

const playheadY = computed(() => {
  const at = session.grid.indexAt(player.playhead);
  const beat = session.grid.beats[at];
  const next = session.grid.beats[at + 1];
  if (!beat || (beat.bar !== pulses.bar && !reading.value?.every_bar)) return null;
  const length = (next?.at ?? session.length) - beat.at;
  const within = beat.beat + (length > 0 ? (player.playhead - beat.at) / length : 0);
  return within <= count.value + 1 ? beatY(frame.value, within) : null;
});
const spoken = computed(() =>
  t("pulseFigure.sentenceBar", { sentence: reading.value?.sentence ?? "", bar: pulses.bar }),
);
</script>

<template>
  <svg
    class="figure"
    :width="width"
    :height="height"
    role="img"
    :aria-label="$t('pulseFigure.thePulseInABar', { spoken: spoken })"
  >
    <text class="title side-left" :x="centre - reach / 2" y="24">{{ $t("pulseFigure.leftSide") }}</text>
    <text class="title side-right" :x="centre + reach / 2" y="24">{{ $t("pulseFigure.rightSide") }}</text>
    <g class="ticks">
      <template v-if="byPlace">
        <g v-for="place in PLACES" :key="place">
          <text :x="centre + place * reach" :y="HEAD - 14">
            {{ place < 0 ? "L" : "R" }}{{ Math.abs(place) * 100 }}
          </text>
          <path :d="`M${centre + place * reach} ${HEAD}V${height - FOOT}`" />
        </g>
      </template>
      <template v-for="side in [-1, 1]" v-else :key="side">
        <g v-for="tick in GAINS" :key="tick.text">
          <text :x="centre + side * tick.gain * reach" :y="HEAD - 14">{{ tick.text }}</text>
          <path :d="`M${centre + side * tick.gain * reach} ${HEAD}V${height - FOOT}`" />
        </g>
      </template>
    </g>
    <g :class="{ faint: byPlace }">
      <path class="left" :d="left" />
      <path class="right" :d="right" />
    </g>
    <path
      v-for="(line, i) in lines"
      :key="i"
      class="place"
      :class="{ second: i }"
      :d="line"
      :style="{ stroke: colour }"
    />
    <g class="beats">
      <g v-for="one in beats" :key="one.beat">
        <path class="beat" :d="`M${ROOM.left - 40} ${one.y}H${width - 8}`" />
        <path class="half" :d="`M${ROOM.left - 40} ${one.half}H${width - ROOM.right + 8}`" />
        <text class="number" x="18" :y="one.y + 16">{{ one.beat }}</text>
      </g>
      <path class="beat" :d="`M${ROOM.left - 40} ${height - FOOT}H${width - 8}`" />
      <path class="centre" :d="`M${centre} ${HEAD - 8}V${height - FOOT}`" />
    </g>
    <g class="accents">
      <text v-if="reading?.accents.length" x="58" :y="HEAD - 14">{{ $t("pulseFigure.accents") }}</text>
      <circle
        v-for="[beat, strength] in reading?.accents ?? []"
        :key="beat"
        cx="58"
        :cy="beatY(frame, beat) + 1"
        :r="1.5 + 5.5 * strength"
      >
        <title>
          {{
            $t("pulseFigure.accentOnBeatBeatStrength", {
              beat: beat.toFixed(2),
              strength: (strength * 100).toFixed(0),
            })
          }}
        </title>
      </circle>
    </g>
    <g class="marks">
      <template v-for="mark in marks" :key="`${mark.beat} ${mark.side}`">
        <g
          v-if="roomy || mark.beat % 1 === 0"
          :class="[mark.side, mark.state]"
          :data-beat="mark.beat"
          :data-mark="mark.text"
        >
          <title>{{ mark.title }}</title>
          <rect :x="cellX(mark.side)" :y="mark.y + 4" :width="CELL" height="19" rx="3" />
          <text :x="cellX(mark.side) + CELL / 2" :y="mark.y + 17.5">{{ mark.text }}</text>
        </g>
      </template>
    </g>
    <path v-if="playheadY !== null" class="playhead" :d="`M${ROOM.left - 40} ${playheadY}H${width - 8}`" />
  </svg>
</template>

<style scoped>
.figure {
  display: block;
  background: var(--paper);
}
text {
  text-anchor: middle;
  font-size: 11.5px;
  fill: var(--quiet);
}
.title {
  font-size: 13px;
  font-weight: 600;
}
.title.side-left {
  fill: var(--left);
}
.title.side-right {
  fill: var(--right);
}
.ticks path {
  stroke: var(--rule);
}
path.left {
  fill: var(--left);
  opacity: 0.3;
}
path.right {
  fill: var(--right);
  opacity: 0.3;
}
.faint path.left,
.faint path.right {
  opacity: 0.1;
}
.place {
  fill: none;
  stroke-width: 2.5;
}
.place.second {
  stroke-dasharray: 6 3;
}
.beat {
  stroke: var(--rule-strong);
}
.half {
  stroke: var(--rule);
  stroke-dasharray: 3 3;
}
.centre {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.beats .number {
  font-size: 15px;
  font-weight: 600;
  fill: var(--ink);
}
.accents circle {
  fill: var(--quiet);
  opacity: 0.75;
}
.marks g {
  opacity: 1;
}
.marks rect {
  fill: var(--raised);
  stroke: var(--mark);
}
.marks text {
  font-size: 11px;
  fill: var(--mark);
}
.marks .left {
  --mark: var(--left);
}
.marks .right {
  --mark: var(--right);
}
.marks .silent text {
  font-weight: 600;
}
.marks .full rect {
  stroke: none;
  fill: none;
}
.playhead {
  stroke: var(--lamp);
  stroke-width: 2;
}
</style>
