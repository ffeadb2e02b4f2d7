<script setup lang="ts">
/** The dealt part on the chart's own axis: its line jumps from place to place; onsets are added and taken by hand. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { useEventListener } from "@vueuse/core";
import { computed, ref, watch, watchEffect } from "vue";
import { axisFor, labelled } from "@/ui/drawing/axis";
import { sized } from "@/ui/drawing/canvas";
import { paintGrid } from "@/ui/drawing/paint";
import { useChartView } from "@/session/view";
import { eventAt, nearestEvent } from "@/domain/events";
import { panText } from "@/domain/format";
import { useDeals } from "@/session/deals";
import { useSession } from "@/session/session";
import { useWaveforms } from "@/session/waveforms";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import DealPlaces from "./DealPlaces.vue";
import { paintDeal } from "./paintDeal";
import { palette } from "@/ui/palette";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{ width: number; height: number }>();
const session = useSession();
const player = usePlayer();
const deals = useDeals();
const view = useChartView();
const waveforms = useWaveforms();

const HEAD = 74;
const NEAR = 9;
const canvas = ref<HTMLCanvasElement>();
const surface = ref<HTMLElement>();
const chosen = ref<number | null>(null);
/** An onset that a hand drags: its index and its time. */
const dragged = ref<{ index: number; at: number } | null>(null);
const paper = computed(() => Math.max(props.height - HEAD, 60));
const axis = computed(() => axisFor("pan", props.width));
const colour = computed(() => (deals.source ? inkOf(deals.source.colour) : palette.ink));
const byHand = computed(() => deals.events?.kind === "onsets" && deals.mayEdit);
const events = computed(() =>
  deals.dealt.map((one, i) => (i === dragged.value?.index ? { ...one, t: dragged.value.at } : one)),
);
const y = (at: number): number => (at - view.top) * view.scale;

watchEffect(
  () => {
    if (!canvas.value) return;
    const { context } = sized(canvas.value, props.width, paper.value);
    const scene = {
      width: props.width,
      height: paper.value,
      top: view.top,
      scale: view.scale,
      axis: axis.value,
    };
    paintGrid(context, { ...scene, grid: session.grid, length: session.length, lean: null }, y);
    paintDeal(context, {
      ...scene,
      events: events.value,
      pans: (deals.deal?.places ?? []).map((one) => one.pan),
      wave: deals.source && waveforms.of(deals.source),
      colour: colour.value,
      chosen: chosen.value,
    });
  },
  { flush: "post" },
);
watch(paper, (now) => (view.height = now), { immediate: true });
watch(
  () => deals.source?.id,
  () => (chosen.value = null),
);
watch(
  () => player.playhead,
  (at) => player.playing && view.show(at),
);

useEventListener(
  surface,
  "wheel",
  (event: WheelEvent) => {
    event.preventDefault();
    const py = event.clientY - must(surface.value).getBoundingClientRect().top;
    if (event.ctrlKey || event.metaKey) view.zoom(Math.exp(-event.deltaY * 0.002), py);
    else view.scrollBy(event.deltaY);
  },
  { passive: false },
);

const timeOf = (event: MouseEvent): number =>
  view.top + (event.clientY - must(surface.value).getBoundingClientRect().top) / view.scale;

let downAt = 0;
const drag = usePointerDrag({
  start: (event) => {
    const index = nearestEvent(deals.dealt, timeOf(event), NEAR / view.scale);
    chosen.value = index;
    downAt = event.clientY;
    if (index !== null && byHand.value) dragged.value = { index, at: must(deals.dealt[index]).t };
    return must(surface.value);
  },
  move: (event) => {
    if (dragged.value && Math.abs(event.clientY - downAt) > 2)
      dragged.value = { ...dragged.value, at: Math.max(timeOf(event), 0) };
  },
  end: (event) => {
    const was = dragged.value;
    dragged.value = null;
    if (was && was.at !== must(deals.dealt[was.index]).t) deals.moveOnset(was.index, was.at);
    else if (!was && chosen.value === null) player.seek(timeOf(event));
  },
  cancel: () => (dragged.value = null),
});
function onKey(event: KeyboardEvent): void {
  const at = chosen.value;
  const act: Record<string, () => void> = {
    ArrowDown: () => choose((at ?? eventAt(deals.dealt, player.playhead)) + 1),
    ArrowUp: () => choose((at ?? eventAt(deals.dealt, player.playhead) + 1) - 1),
    ArrowLeft: () => nudge(-0.005),
    ArrowRight: () => nudge(0.005),
    a: () => byHand.value && deals.addOnset(player.playhead),
    Delete: remove,
    Backspace: remove,
  };
  const found = act[event.key];
  if (!found || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  event.stopPropagation();
  found();
}
function choose(index: number): void {
  if (!deals.dealt[index]) return;
  chosen.value = index;
  view.show(deals.dealt[index].t);
}
function nudge(by: number): void {
  if (chosen.value !== null && byHand.value)
    deals.moveOnset(chosen.value, must(deals.dealt[chosen.value]).t + by);
}
function remove(): void {
  if (chosen.value === null || !deals.mayEdit) return;
  deals.removeEvent(chosen.value);
  chosen.value = null;
}
const told = computed(() => {
  const one = chosen.value === null ? undefined : deals.dealt[chosen.value];
  if (!one) return "";
  const place = deals.deal?.places?.[one.place];
  return t("dealChart.chosenOfDealtCountBarGrid", {
    chosen: must(chosen.value) + 1,
    dealtCount: deals.dealt.length,
    grid: session.grid.text(one.t),
    place: one.place + 1,
    panText: panText(place?.pan ?? 0),
  });
});
const playheadY = computed(() => y(player.playhead));
const hint = computed(() =>
  byHand.value ? t("dealChart.doubleClickOrAAdds") : t("dealChart.clickAnEventToSelect"),
);
</script>

<template>
  <div class="deal">
    <div class="head">
      <div class="labels" aria-hidden="true">
        <span
          v-for="(tick, i) in axis.ticks"
          v-show="labelled(width, i)"
          :key="tick.label"
          :class="tick.side"
          :style="{ left: `${axis.x(tick.value)}px` }"
          >{{ tick.label }}</span
        >
      </div>
      <DealPlaces :axis="axis" :colour="colour" />
      <p class="told quiet">
        <span role="status">{{ told }}</span> <span v-if="!told">{{ hint }}</span>
      </p>
    </div>
    <div
      ref="surface"
      class="surface"
      tabindex="0"
      role="application"
      :aria-label="$t('dealChart.eventsOfNameUpAnd', { name: deals.source?.name, hint: hint })"
      :style="{ height: `${paper}px` }"
      v-on="drag.follow"
      @pointerdown="drag.down($event, undefined)"
      @dblclick="byHand && chosen === null && deals.addOnset(timeOf($event))"
      @keydown="onKey"
    >
      <canvas ref="canvas" :style="{ width: `${width}px`, height: `${paper}px` }" />
      <div
        v-if="playheadY >= 0 && playheadY <= paper"
        class="playhead"
        :style="{ transform: `translateY(${playheadY}px)` }"
      />
    </div>
  </div>
</template>

<style scoped>
.deal {
  background: var(--paper);
}
.head {
  position: relative;
  height: 74px;
  border-bottom: 1px solid var(--ink);
}
.labels {
  position: relative;
  height: 17px;
  font-size: 11px;
}
.labels span {
  position: absolute;
  top: 3px;
  transform: translateX(-50%);
}
.told {
  position: absolute;
  right: 8px;
  bottom: 0;
  font-size: 11.5px;
}
.surface {
  position: relative;
  overflow: hidden;
  touch-action: none;
}
canvas {
  display: block;
}
.playhead {
  position: absolute;
  top: 0;
  left: 40px;
  right: 8px;
  border-top: 2px solid var(--lamp);
}
</style>
