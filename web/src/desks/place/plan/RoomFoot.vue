<script setup lang="ts">
/** The meters of a room: every channel in the layout's order, and beside them what they say in numbers. */
import { computed, ref } from "vue";
import { useRoom } from "@/session/room";
import { usePlayer } from "@/audio/player";
import { sized } from "@/ui/drawing/canvas";
import { usePainting } from "@/ui/drawing/painting";
import { palette } from "@/ui/palette";
import RoomNumbers from "./RoomNumbers.vue";

const props = defineProps<{ width: number }>();
const player = usePlayer();
const room = useRoom();

const LOWEST_DB = -54;
const HEIGHT = 60;
const WHOLE = 98;
const [LEFT, TOP] = [16, 6];
/** How long a peak is held before it falls (ms). */
const HELD = 1500;

const share = (db: number): number => Math.max(0, Math.min(1, 1 - db / LOWEST_DB));

/** On a narrow page the numbers stand below. */
const narrow = computed(() => props.width < 560);
const across = computed(() => Math.max(narrow.value ? props.width : props.width - 236, 60));
const step = computed(() => Math.min(46, (across.value - 24) / Math.max(room.channels.length, 1)));
const wide = computed(() => Math.min(18, step.value - 4));

const canvas = ref<HTMLCanvasElement>();
/** Every channel's highest peak, held for a while. */
const peaks = new Map<string, { db: number; since: number }>();

function heldPeak(name: string, db: number): number {
  const time = performance.now();
  const held = peaks.get(name);
  if (held && db < held.db && time - held.since <= HELD) return held.db;
  peaks.set(name, { db, since: time });
  return db;
}

/** The ink of a channel's level, by the side it stands on. */
function inkOf({ lfe, azimuth }: { lfe: boolean; azimuth: number }): string {
  if (lfe) return palette.heavy;
  if (azimuth > 0 && azimuth < 180) return palette.leftSoft;
  return azimuth < 0 ? palette.rightSoft : palette.grey;
}

usePainting(() => {
  if (!canvas.value) return;
  const { context } = sized(canvas.value, across.value, WHOLE);
  const reading = player.now;
  if (!reading) return peaks.clear();
  context.font = "9.5px 'IBM Plex Mono', monospace";
  context.textAlign = "center";
  room.channels.forEach((one, i) => {
    const x = LEFT + i * step.value;
    const level = reading[`rms:${one.name}`] ?? -Infinity;
    const high = share(level) * HEIGHT;
    context.fillStyle = inkOf(one);
    context.fillRect(x, TOP + HEIGHT - high, wide.value, high);
    const peak = share(heldPeak(one.name, reading[`peak:${one.name}`] ?? LOWEST_DB)) * HEIGHT;
    context.fillStyle = palette.ink;
    if (peak > 0) context.fillRect(x, TOP + HEIGHT - peak - 1, wide.value, 2);
    context.fillStyle = palette.quiet;
    if (level >= -90)
      context.fillText(Math.round(level).toString().replace("-", "−"), x + wide.value / 2, TOP + HEIGHT + 25);
  });
});
</script>

<template>
  <section class="foot" :class="{ narrow }" :aria-label="$t('roomFoot.metersOfTheRoom')">
    <div class="meters">
      <svg :width="across" :height="WHOLE" role="img" :aria-label="$t('roomFoot.levelOfEveryChannel')">
        <g
          v-for="(one, i) in room.channels"
          :key="one.name"
          :transform="`translate(${LEFT + i * step} ${TOP})`"
          :data-channel="one.name"
        >
          <rect class="case" :width="wide" :height="HEIGHT" />
          <text :x="wide / 2" :y="HEIGHT + 14" text-anchor="middle">{{ one.label }}</text>
        </g>
      </svg>
      <canvas ref="canvas" :style="{ width: `${across}px`, height: `${WHOLE}px` }" aria-hidden="true" />
    </div>
    <RoomNumbers />
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
.narrow :deep(dl) {
  grid-template-columns: auto 1fr auto 1fr;
  margin: 0 12px;
}
.narrow text {
  font-size: 9.5px;
}
.meters {
  position: relative;
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
.case {
  fill: var(--paper);
  stroke: var(--rule-strong);
}
text {
  font: 600 10.5px var(--sans);
  fill: var(--ink);
}
</style>
