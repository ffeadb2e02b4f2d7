<script setup lang="ts">
/** Every source's pointer at its place at the playhead, on the chart's own axis. A pointer may be dragged. */
import { computed, ref } from "vue";
import { panText } from "@/geometry/pan";
import { tidy } from "@/geometry/parameters";
import { useHand } from "@/session/hand";
import { useSession, type Source } from "@/session/session";
import { usePlayer } from "@/sound/player";
import { inkOf } from "@/ui/theme";
import { axisFor, labelled } from "./axis";
import { useChartView } from "./view";

const props = defineProps<{ width: number }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const hand = useHand();

const axis = computed(() => axisFor("pan", props.width));
const ruler = computed(() => axisFor(view.parameter, props.width));
const held = ref<string | null>(null);
const moved = ref(false);
const strip = ref<HTMLElement>();

const pointers = computed(() =>
  session.sources.map((source) => {
    const pan = session.valueAt(source, "pan", player.playhead);
    const heard = player.solo.length ? player.solo.includes(source.id) : !session.muted(source);
    return { source, pan, x: axis.value.x(pan), heard, chosen: player.chosen === source.id };
  }),
);
const ordered = computed(() => [...pointers.value].sort((a, b) => Number(a.chosen) - Number(b.chosen)));

function panAt(event: PointerEvent): number {
  const box = strip.value!.getBoundingClientRect();
  return tidy("pan", axis.value.value(event.clientX - box.left));
}

function onDown(event: PointerEvent, source: Source): void {
  if (!hand.grasp(source)) return;
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  held.value = source.id;
  moved.value = false;
}

function onMove(event: PointerEvent, source: Source): void {
  if (held.value !== source.id) return;
  moved.value = true;
  hand.move(source, panAt(event));
}

function onUp(event: PointerEvent, source: Source): void {
  if (held.value !== source.id) return;
  held.value = null;
  if (moved.value) hand.set(source, panAt(event));
  else hand.drop(source);
}
</script>

<template>
  <div ref="strip" class="strip" aria-label="Where every source is now">
    <span
      v-for="(tick, i) in ruler.ticks"
      v-show="labelled(width, i)"
      :key="tick.value"
      class="tick number"
      :class="tick.side"
      :style="{ left: `${ruler.x(tick.value)}px` }"
      >{{ tick.label }}</span
    >
    <button
      v-for="pointer in ordered"
      :key="pointer.source.id"
      class="pointer"
      tabindex="-1"
      :class="{ chosen: pointer.chosen, unheard: !pointer.heard }"
      :style="{ transform: `translateX(${pointer.x}px)`, '--source': inkOf(pointer.source.ink) }"
      :aria-label="`${pointer.source.name} at ${panText(pointer.pan)}`"
      :title="`${pointer.source.name} ${panText(pointer.pan)}`"
      @pointerdown.prevent="onDown($event, pointer.source)"
      @pointermove="onMove($event, pointer.source)"
      @pointerup="onUp($event, pointer.source)"
      @pointercancel="onUp($event, pointer.source)"
    >
      <svg width="16" height="20" aria-hidden="true"><path d="M8 2 13 18 H3 Z" /></svg>
    </button>
  </div>
</template>

<style scoped>
.strip {
  position: relative;
  height: 58px;
  background: var(--raised);
  border-bottom: 2px solid #8b9690;
  overflow: hidden;
}
.tick {
  position: absolute;
  top: 8px;
  transform: translateX(-50%);
  font-size: 11px;
  white-space: nowrap;
}
.pointer {
  position: absolute;
  top: 30px;
  left: 0;
  width: 24px;
  margin-left: -12px;
  padding: 0 4px;
  border: 0;
  background: none;
  cursor: ew-resize;
  touch-action: none;
}
.pointer svg {
  display: block;
  fill: var(--source);
  opacity: 0.7;
}
.chosen svg {
  opacity: 1;
  stroke: var(--lamp);
  stroke-width: 2;
  paint-order: stroke;
}
.unheard svg {
  opacity: 0.25;
}
</style>
