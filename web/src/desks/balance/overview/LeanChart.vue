<script setup lang="ts">
/** The lean of the whole piece: time runs down, left is left. The chosen set's own lean and a counterweight's beside it. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { useElementBounding, useEventListener } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { axisFor, MARGIN } from "@/ui/drawing/axis";
import { sized } from "@/ui/drawing/canvas";
import {
  leanX,
  LEAN_SCALE_DB,
  paintCurve,
  paintGrid,
  paintLean,
  placing,
  type Paper,
} from "@/ui/drawing/paint";
import Colleagues from "@/shell/chart/Colleagues.vue";
import PlayheadLine from "@/shell/chart/PlayheadLine.vue";
import { usePainting } from "@/ui/drawing/painting";
import Ribs from "@/shell/chart/Ribs.vue";
import { clamp, leanText, sideClass } from "@/domain/format";
import { useLean } from "@/audio/lean";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { useChartView } from "@/session/view";
import { useStretch } from "./stretch";
import { alpha, palette } from "@/ui/palette";

export interface Curve {
  values: (number | null)[];
  colour: string;
  dash: number[];
}

const props = defineProps<{
  width: number;
  height: number;
  curves: Curve[];
  /** It stands beside the chart of moves: one moment is at one height on both. */
  follows?: boolean;
}>();
const session = useSession();
const player = usePlayer();
const lean = useLean();
const view = useChartView();
const chosen = useStretch();

const PADDING = 10;
const HEAD = 26;
const CLOSEST = 60;
const canvas = ref<HTMLCanvasElement>();
const surface = ref<SVGSVGElement>();
const paper = computed(() => Math.max(props.height - HEAD, 60));
const axis = computed(() => axisFor("pan", props.width));
const ticks = [-6, -3, 0, 3, 6].map((db) => ({
  db,
  text: db === 0 ? t("format.even") : `${Math.abs(db)} dB ${db < 0 ? "L" : "R"}`,
}));

/** The whole piece fits at first; nearer on request. */
const fitted = computed(() => (paper.value - 2 * PADDING) / Math.max(session.length, 1));
const nearer = ref(1);
const top = ref(0);
const scale = computed(() => (props.follows ? view.scale : fitted.value * nearer.value));
/** How much lower (px) this paper begins than the chart's. */
const { top: paperTop } = useElementBounding(canvas);
const lower = computed(() => paperTop.value - view.paperTop);
const shownTop = computed(() => {
  if (props.follows) return view.top + lower.value / scale.value;
  const [low, high] = [-PADDING / scale.value, session.length - (paper.value - PADDING) / scale.value];
  return clamp(top.value, low, Math.max(high, low));
});
const y = (at: number): number => (at - shownTop.value) * scale.value;

const zone = computed(() => leanX(axis.value, lean.lean?.tolerance_db ?? 0) - axis.value.x(0));
const flags = computed(() =>
  chosen.leaning.map((stretch, i) => {
    const text = `${i + 1} · ${leanText(stretch.mean_db)} · ${Math.round(stretch.end - stretch.start)} s`;
    const right = stretch.mean_db > 0;
    const width = text.length * 5.6 + 14;
    const x = leanX(axis.value, stretch.worst_db) + (right ? 10 : -10);
    const left = right ? Math.min(x, props.width - width - 3) : Math.max(x - width, MARGIN.left);
    return {
      text,
      right,
      width,
      left,
      y: y((stretch.start + stretch.end) / 2),
      top: y(stretch.start),
      bottom: y(stretch.end),
    };
  }),
);
usePainting(() => {
  const element = canvas.value;
  if (!element) return;
  const scene: Paper = {
    width: props.width,
    height: paper.value,
    top: shownTop.value,
    scale: scale.value,
    axis: axis.value,
    grid: session.grid,
    length: session.length,
    lean: lean.lean,
  };
  const { context } = sized(element, props.width, paper.value);
  const place = placing(scene);
  context.fillStyle = alpha(palette.rule, 0.5);
  const [from, to] = [Math.max(place(0), 0), Math.min(place(session.length), paper.value)];
  context.fillRect(axis.value.x(0) - zone.value, from, 2 * zone.value, to - from);
  paintGrid(context, scene, place);
  paintLean(context, scene, place);
  const hop = lean.lean?.hop ?? 0.1;
  if (lean.lean)
    paintCurve(context, scene, lean.lean.long, hop, { colour: palette.ink, width: 1.4, dash: [] }, place);
  for (const curve of props.curves)
    paintCurve(context, scene, curve.values, hop, { width: 1.6, ...curve }, place);
});

watch(
  () => player.playhead,
  (at) => {
    const py = y(at);
    if (props.follows) return;
    if (nearer.value > 1 && (py < 0 || py > paper.value - 12)) top.value = at - paper.value / 4 / scale.value;
  },
);

useEventListener(
  surface,
  "wheel",
  (event: WheelEvent) => {
    event.preventDefault();
    const py = event.clientY - must(surface.value).getBoundingClientRect().top;
    if (props.follows) {
      if (event.ctrlKey || event.metaKey) view.zoom(Math.exp(-event.deltaY * 0.002), py + lower.value);
      else view.scrollBy(event.deltaY);
      return;
    }
    const at = shownTop.value + py / scale.value;
    if (event.ctrlKey || event.metaKey) {
      nearer.value = clamp(
        nearer.value * Math.exp(-event.deltaY * 0.002),
        1,
        Math.max(CLOSEST / fitted.value, 1),
      );
      top.value = at - py / scale.value;
    } else top.value = shownTop.value + event.deltaY / scale.value;
  },
  { passive: false },
);

function onClick(event: MouseEvent): void {
  const box = must(surface.value).getBoundingClientRect();
  player.seek(clamp(shownTop.value + (event.clientY - box.top) / scale.value, 0, session.length));
}
</script>

<template>
  <div class="lean-chart" :style="{ height: `${height}px` }">
    <div class="head">
      <span
        v-for="tick in ticks"
        :key="tick.db"
        class="number"
        :class="sideClass(tick.db)"
        :style="{ left: `${axis.x(tick.db / LEAN_SCALE_DB)}px` }"
        >{{ tick.text }}</span
      >
    </div>
    <div class="paper" :style="{ height: `${paper}px` }">
      <canvas ref="canvas" :style="{ width: `${width}px`, height: `${paper}px` }" />
      <svg
        ref="surface"
        :width="width"
        :height="paper"
        role="img"
        :aria-label="$t('leanChart.leanOfTheMixThrough')"
        @click="onClick"
      >
        <rect
          v-if="flags[chosen.number]"
          class="chosen"
          :x="MARGIN.left"
          :width="Math.max(width - MARGIN.left - MARGIN.right, 0)"
          :y="must(flags[chosen.number]).top"
          :height="must(flags[chosen.number]).bottom - must(flags[chosen.number]).top"
        />
        <Colleagues :width="width" :height="paper" :top="shownTop" :scale="scale" />
        <g
          v-for="(flag, i) in flags"
          :key="i"
          class="flag"
          :class="{ right: flag.right, on: i === chosen.number }"
          @click.stop="chosen.choose(i)"
        >
          <rect :x="flag.left" :y="flag.y - 12" :width="flag.width" height="24" rx="3" />
          <text :x="flag.left + 7" :y="flag.y + 4">{{ flag.text }}</text>
        </g>
      </svg>
      <p v-if="!lean.lean" class="measuring" role="status">
        {{
          session.sources.length
            ? $t("leanChart.measuringThePieceDone", { done: Math.round((lean.done % 1) * 100) })
            : $t("leanChart.importStemsTheirBalanceShows")
        }}
      </p>
      <Ribs :top="shownTop" :scale="scale" :height="paper" />
      <PlayheadLine :top="shownTop" :scale="scale" />
    </div>
  </div>
</template>

<style scoped>
.lean-chart {
  overflow: hidden;
}
.head {
  position: relative;
  height: 26px;
  border-bottom: 2px solid var(--heavy);
}
.head span {
  position: absolute;
  bottom: 3px;
  transform: translateX(-50%);
  font-size: 11px;
  white-space: nowrap;
}
.paper {
  position: relative;
  overflow: hidden;
}
canvas,
svg {
  position: absolute;
  inset: 0;
  display: block;
}
.measuring {
  position: absolute;
  inset: 40% 0 auto;
  text-align: center;
  color: var(--quiet);
  pointer-events: none;
}
.chosen {
  fill: var(--lamp-wash);
  pointer-events: none;
}
.flag {
  cursor: pointer;
}
.flag rect {
  fill: var(--raised);
  stroke: var(--left);
}
.flag.right rect {
  stroke: var(--right);
}
.flag.on rect {
  stroke-width: 2;
}
.flag text {
  font-size: 12px;
  font-weight: 600;
  fill: var(--left);
}
.flag.right text {
  fill: var(--right);
}
</style>
