<script setup lang="ts">
/** What the chart draws, on two sheets: the paper with all other lines, and above it what a hand is working on. */
import type { LaneName } from "@/domain/model";
import { computed, ref } from "vue";
import { clockText } from "@/domain/grid";
import { useHistory } from "@/features/history/history";
import { useLean } from "@/audio/lean";
import { useMoves } from "@/session/moves";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";
import { useTakes } from "@/session/takes";
import { inkOf } from "@/ui/theme";
import { must } from "@/domain/must";
import { stable } from "@/ui/stable";
import PaperTile from "./PaperTile.vue";
import { sized } from "@/ui/drawing/canvas";
import type { Axis } from "@/ui/drawing/axis";
import { useLines } from "./lines";
import { usePainting } from "@/ui/drawing/painting";
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

const work = ref<HTMLCanvasElement>();

const common = computed(() => ({
  width: props.width,
  axis: props.axis,
  grid: session.grid,
  length: session.length,
  shapes: session.shapes,
  lean: lines.isField.value ? lean.lean : null,
  parts: Math.max(view.gridParts, 0),
  clock: clockText,
}));
const scene = computed<Scene>(() => ({
  ...common.value,
  height: props.height,
  top: view.top,
  scale: view.scale,
}));

/** How high each piece of paper is (px): scrolling paints only what comes into sight. */
const TILE = 256;
const tiles = stable(() => {
  const [first, last] = [view.top * view.scale, view.top * view.scale + props.height].map((y) =>
    Math.floor(y / TILE),
  );
  const from = must(first) - 1;
  return Array.from({ length: must(last) - from + 2 }, (_, i) => from + i);
});
/** Pieces are used again for others: no more of them are made than are in sight. */
const slotOf = (index: number): number =>
  ((index % tiles.value.length) + tiles.value.length) % tiles.value.length;

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
  for (const line of lines.previewed.value) paintLine(context, scene.value, line);
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
  <div class="paper" :style="{ transform: `translateY(${-view.top * view.scale}px)` }">
    <PaperTile
      v-for="index in tiles"
      :key="slotOf(index)"
      :index="index"
      :height="TILE"
      :common="common"
      :scale="view.scale"
      :lines="lines.others.value"
      :style="{ width: `${width}px`, height: `${TILE}px`, top: `${index * TILE}px` }"
    />
  </div>
  <canvas ref="work" :style="{ width: `${width}px`, height: `${height}px` }" />
</template>

<style scoped>
.paper {
  position: absolute;
  inset: 0 auto auto 0;
  will-change: transform;
}
canvas {
  position: absolute;
  inset: 0;
  display: block;
}
</style>
