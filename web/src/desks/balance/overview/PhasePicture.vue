<script setup lang="ts">
/** What sounds now as a cloud: upright is alike on both sides, flat is opposite; farther out is louder. */
import { must } from "@/domain/must";
import { ref, watchEffect } from "vue";
import { sized } from "@/ui/drawing/canvas";
import { usePlayer } from "@/audio/player";
import { palette } from "@/ui/palette";

const props = defineProps<{ size: number }>();
const player = usePlayer();
const canvas = ref<HTMLCanvasElement>();

watchEffect(
  () => {
    const element = canvas.value;
    if (!element) return;
    const { context } = sized(element, props.size, props.size);
    const points = player.phase;
    if (!points) return;
    const half = props.size / 2;
    context.fillStyle = palette.ink;
    for (let i = 0; i < points.length; i += 2) {
      // The latest are the darkest.
      context.globalAlpha = 0.2 + (0.6 * i) / points.length;
      context.fillRect(
        half + must(points[i]) * half - 0.9,
        half - must(points[i + 1]) * half - 0.9,
        1.8,
        1.8,
      );
    }
    context.globalAlpha = 1;
  },
  { flush: "post" },
);
</script>

<template>
  <div
    class="phase"
    :style="{ width: `${size}px`, height: `${size}px` }"
    role="img"
    :aria-label="$t('phasePicture.phasePictureOfWhatSounds')"
  >
    <svg :width="size" :height="size" viewBox="0 0 100 100" aria-hidden="true">
      <path class="frame" d="M50 1 99 50 50 99 1 50Z" />
      <path class="rule" d="M50 1V99M1 50H99" />
      <path class="left" d="M50 50 25.500 25.500" />
      <path class="right" d="M50 50 74.500 25.500" />
      <text class="left" x="18" y="24">L</text>
      <text class="right" x="82" y="24">R</text>
    </svg>
    <canvas ref="canvas" :style="{ width: `${size}px`, height: `${size}px` }" />
  </div>
</template>

<style scoped>
.phase {
  position: relative;
}
svg,
canvas {
  position: absolute;
  inset: 0;
}
.frame {
  fill: var(--panel);
  stroke: var(--rule-strong);
}
.rule {
  stroke: var(--rule);
}
path.left {
  stroke: var(--left);
  opacity: 0.35;
}
path.right {
  stroke: var(--right);
  opacity: 0.35;
}
text {
  font: 600 10px var(--sans);
  text-anchor: middle;
}
text.left {
  fill: var(--left);
}
text.right {
  fill: var(--right);
}
</style>
