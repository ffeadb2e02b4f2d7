<script setup lang="ts">
/** What the chart draws, on two sheets: the paper with all other lines, and above it what a hand is working on. */
import type { LaneName } from "@/domain/model";
import { computed, ref, shallowRef, watch } from "vue";
import { clockText } from "@/domain/grid";
import { useHistory } from "@/features/history/history";
import { useLean } from "@/audio/lean";
import { useMoves } from "@/session/moves";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";
import { useTakes } from "@/session/takes";
import { inkOf } from "@/ui/theme";
import { sized } from "@/ui/drawing/canvas";
import type { Axis } from "@/ui/drawing/axis";
import { useLines } from "./lines";
import { usePainting } from "@/ui/drawing/painting";
import { paintPaper } from "@/ui/drawing/paint";
import { paintLine, paintLook, paintWay, type Scene } from "@/ui/drawing/paintLines";
import { useChartView } from "@/session/view";
import { palette } from "@/ui/palette";

const props = defineProps<{
  width: number;
  height: number;
  axis: Axis;
  /** A line that is being drawn, and whether in steps. */
  drawing: { way: [number, number][]; stepped: boolean } | null;
}>();
const session = useSession();
const view = useChartView();
const lean = useLean();
const moves = useMoves();
const takes = useTakes();
const recorder = useRecorder();
const lines = useLines();
const history = useHistory();

const paper = ref<HTMLCanvasElement>();
const work = ref<HTMLCanvasElement>();

const common = computed(() => ({
  width: props.width,
  axis: props.axis,
  grid: session.grid,
  length: session.length,
  shapes: session.shapes,
  lean: lines.isField.value ? lean.lean : null,
  parts: view.gridParts,
  clock: clockText,
}));
const scene = computed<Scene>(() => ({
  ...common.value,
  height: props.height,
  top: view.top,
  scale: view.scale,
}));

/**
 * The paper is painted some way beyond what is in sight, so that scrolling only shifts it: which stretch that is, and how
 * far beyond (px). What is zoomed is painted anew anyway, and no farther than it shows.
 */
const sheet = shallowRef({ top: 0, scale: 0, beyond: 0 });
watch(
  [() => view.top, () => view.scale, () => props.height],
  ([top, scale, height]) => {
    const zoomed = scale !== sheet.value.scale;
    const moved = Math.abs(top - sheet.value.top) * scale;
    if (zoomed) sheet.value = { top, scale, beyond: 0 };
    else if (moved > sheet.value.beyond) sheet.value = { top, scale, beyond: Math.round(height / 2) };
  },
  { immediate: true },
);
const paperHeight = computed(() => props.height + 2 * sheet.value.beyond);
const paperY = computed(() => (sheet.value.top - view.top) * view.scale - sheet.value.beyond);
const paperScene = computed<Scene>(() => ({
  ...common.value,
  height: paperHeight.value,
  top: sheet.value.top - sheet.value.beyond / sheet.value.scale,
  scale: sheet.value.scale,
}));

usePainting(() => {
  if (!paper.value) return;
  const { context } = sized(paper.value, props.width, paperHeight.value);
  paintPaper(context, paperScene.value);
  for (const line of lines.others.value) paintLine(context, paperScene.value, line);
});

/** Whether a lane is drawn on the axis that is shown. */
const isHere = ({ owner: source, parameter }: LaneName): boolean =>
  parameter === view.parameter
    ? lines.isField.value || source === view.lane?.owner || !view.of
    : lines.isField.value && parameter.startsWith("pan");

/** Lanes as they would be: a change that is looked at, or a take that waits. */
const looks = computed(() => {
  const found = takes.waiting ? moves.lanesWith(takes.waiting.writes) : moves.preview;
  return [...found]
    .map(([key, points]) => ({ lane: session.laneOf(key), points }))
    .filter(({ lane }) => isHere(lane));
});

/** Lanes as they were at the revision that is compared with the present. */
const earlier = computed(() =>
  Object.entries(history.compared?.lanes ?? {})
    .map(([key, points]) => ({ lane: session.laneOf(key), points: points }))
    .filter(({ lane }) => isHere(lane)),
);
const inkOfOwner = (owner: string): string => inkOf(session.sourceById(owner)?.colour ?? 0);

usePainting(() => {
  if (!work.value) return;
  const { context } = sized(work.value, props.width, props.height);
  for (const line of lines.held.value) paintLine(context, scene.value, line);
  for (const line of lines.chosen.value) paintLine(context, scene.value, line);
  for (const { lane, points } of earlier.value)
    paintLook(context, scene.value, points, lines.shiftOf(lane), inkOfOwner(lane.owner), [7, 4]);
  for (const { lane, points } of looks.value)
    paintLook(context, scene.value, points, lines.shiftOf(lane), palette.lampInk);
  if (props.drawing && view.lane)
    paintWay(
      context,
      scene.value,
      props.drawing.way,
      lines.shiftOf(view.lane),
      palette.lampInk,
      props.drawing.stepped,
    );
  // What a hand records, as far as it has come.
  if (recorder.count < 0) return;
  for (const control of recorder.controls.values()) {
    if (!isHere(control) || control.mode === "trim") continue;
    for (const hold of control.holds)
      paintWay(context, scene.value, hold.samples, lines.shiftOf(control), palette.lampInk);
  }
});
</script>

<template>
  <canvas
    ref="paper"
    :style="{ width: `${width}px`, height: `${paperHeight}px`, transform: `translateY(${paperY}px)` }"
  />
  <canvas ref="work" :style="{ width: `${width}px`, height: `${height}px` }" />
</template>

<style scoped>
canvas {
  position: absolute;
  inset: 0;
  display: block;
  will-change: transform;
}
</style>
