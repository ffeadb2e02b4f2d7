<script setup lang="ts">
/** Left, right and mono by frequency as they sound now, with the notches that mono has; below, what mono loses. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed } from "vue";
import { useLibrary } from "@/session/library";
import { usePlayer } from "@/audio/player";

const props = defineProps<{ width: number; centres: number[]; loss: (number | null)[] }>();
const player = usePlayer();
const library = useLibrary();

const HEIGHT = 84;
const DEPTH = 46;
const [LOWEST_DB, HIGHEST_DB] = [-84, -12];
const MOST_LOSS = 6;
const BAD_LOSS = -5.9;
const [LOWEST_HZ, HIGHEST_HZ] = [25, 20000];
const MARKS = [
  { at: 63, text: "63" },
  { at: 250, text: "250" },
  { at: 1000, text: "1k" },
  { at: 4000, text: "4k" },
  { at: 16000, text: "16k" },
];

const x = (at: number): number =>
  (Math.log(at / LOWEST_HZ) / Math.log(HIGHEST_HZ / LOWEST_HZ)) * (props.width - 8) + 4;
const y = (db: number): number =>
  HEIGHT - 2 - Math.max(0, Math.min(1, (db - LOWEST_DB) / (HIGHEST_DB - LOWEST_DB))) * (HEIGHT - 6);
const path = (row: Float32Array | undefined): string =>
  row && library.library
    ? `M${library.library.bands.map((at, i) => `${x(at).toFixed(1)} ${y(must(row[i])).toFixed(1)}`).join("L")}`
    : "";
const lines = computed(() => ({
  left: path(player.spectrum?.left),
  right: path(player.spectrum?.right),
  mono: path(player.spectrum?.mono),
}));
const notches = computed(() =>
  (player.spectrum?.notches ?? []).map(([at, loss]) => ({ at, loss, x: x(at) })),
);
const step = computed(() => (x(2000) - x(1000)) / 3);
const bars = computed(() =>
  props.centres.map((at, i) => {
    const lost = props.loss[i] ?? null;
    return {
      x: x(at) - step.value / 2 + 0.75,
      height: lost === null ? 0 : (Math.min(-lost, MOST_LOSS) / MOST_LOSS) * DEPTH,
      bad: lost !== null && lost < BAD_LOSS,
      title:
        lost === null
          ? ""
          : t("spectrumPicture.mathHzLostDBIn", { Math: Math.round(at), lost: lost.toFixed(1) }),
    };
  }),
);
</script>

<template>
  <svg
    class="spectrum"
    :width="width"
    :height="HEIGHT + DEPTH + 18"
    role="img"
    :aria-label="$t('spectrumPicture.spectrumOfLeftRightAnd')"
  >
    <rect class="ground" x="0" y="0" :width="width" :height="HEIGHT" rx="3" />
    <line
      v-for="mark in MARKS"
      :key="mark.at"
      class="rule"
      :x1="x(mark.at)"
      :x2="x(mark.at)"
      y1="0"
      :y2="HEIGHT + DEPTH"
    />
    <path class="left" :d="lines.left" />
    <path class="right" :d="lines.right" />
    <path class="mono" :d="lines.mono" />
    <g v-for="notch in notches" :key="notch.at" class="notch">
      <line :x1="notch.x" :x2="notch.x" y1="10" :y2="HEIGHT" />
      <path :d="`M${notch.x - 4} 2h8l-4 7Z`" />
      <title>
        {{
          $t("spectrumPicture.notchHzMonoLosesLoss", {
            notch: Math.round(notch.at),
            loss: Math.abs(notch.loss).toFixed(0),
          })
        }}
      </title>
    </g>
    <text v-if="!player.spectrum" :x="width / 2" :y="HEIGHT / 2 + 4">
      {{ $t("spectrumPicture.lRAndMonoWhile") }}
    </text>
    <g>
      <line class="edge" x1="0" :x2="width" :y1="HEIGHT + 1" :y2="HEIGHT + 1" />
      <rect
        v-for="bar in bars"
        :key="bar.x"
        :class="bar.bad ? 'bad' : 'bar'"
        :x="bar.x"
        :y="HEIGHT + 2"
        :width="Math.max(step - 1.5, 1)"
        :height="bar.height"
      >
        <title>{{ bar.title }}</title>
      </rect>
    </g>
    <text v-for="mark in MARKS" :key="mark.text" :x="x(mark.at)" :y="HEIGHT + DEPTH + 14">
      {{ mark.text }}
    </text>
  </svg>
</template>

<style scoped>
.spectrum {
  display: block;
}
.ground {
  fill: var(--raised);
}
.rule {
  stroke: var(--rule);
}
.edge {
  stroke: var(--rule-strong);
}
path {
  fill: none;
  stroke-width: 1.3;
  stroke-linejoin: round;
}
.left {
  stroke: var(--left);
}
.right {
  stroke: var(--right);
}
.mono {
  stroke: var(--ink);
  stroke-width: 1.6;
}
.notch line {
  stroke: var(--lamp);
  stroke-dasharray: 2 2;
}
.notch path {
  fill: var(--lamp);
}
.bar {
  fill: var(--quiet);
}
.bad {
  fill: var(--lamp);
}
text {
  font: 10px var(--mono);
  text-anchor: middle;
  fill: var(--quiet);
}
</style>
