<script setup lang="ts">
/** A piece of the chart's paper, of one height: painted once, and shifted as one scrolls. */
import { ref } from "vue";
import { sized } from "@/ui/drawing/canvas";
import { paintPaper } from "@/ui/drawing/paint";
import { paintLine, type Line, type Scene } from "@/ui/drawing/paintLines";
import { usePainting } from "@/ui/drawing/painting";

const props = defineProps<{
  /** Which piece from the beginning on, and how high each is (px). */
  index: number;
  height: number;
  /** What is drawn on all of them, whatever is in sight. */
  common: Omit<Scene, "height" | "top" | "scale">;
  scale: number;
  lines: Line[];
}>();
/** What stands on the edge of a piece is painted on both sides of it: so far beyond each (px). */
const BEYOND = 24;
const canvas = ref<HTMLCanvasElement>();

usePainting(() => {
  if (!canvas.value) return;
  const { context } = sized(canvas.value, props.common.width, props.height);
  const scene: Scene = {
    ...props.common,
    height: props.height + 2 * BEYOND,
    top: (props.index * props.height - BEYOND) / props.scale,
    scale: props.scale,
  };
  context.translate(0, -BEYOND);
  paintPaper(context, scene);
  for (const line of props.lines) paintLine(context, scene, line);
});
</script>

<template>
  <canvas ref="canvas" />
</template>
