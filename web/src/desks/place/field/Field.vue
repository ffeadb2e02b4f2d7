<script setup lang="ts">
/**
 * The field: left is left, and loud is up. Every source stands where it sounds; drag it to place and level it at once.
 * For a return it shows what is sent there: how much, and where it stands in that room.
 */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { Return } from "@/domain/model";
import { computed, ref } from "vue";
import { stable, stableList } from "@/ui/stable";
import { axisFor, levelHeight } from "@/ui/drawing/axis";
import { useDrawingOrder } from "@/session/markOrder";
import { levelText, endsText } from "@/domain/format";
import { useMarkStops } from "@/desks/place/markStops";
import FieldMark from "./FieldMark.vue";
import { laidOut, type Label, type Named } from "@/desks/place/labels";
import { useMarks } from "./marks";

const props = defineProps<{ width: number; height: number; to?: Return }>();
const selection = useSelection();
const surface = ref<SVGSVGElement>();

const TOP = 40;
/** Room below the lowest line; in a return the names of what is not sent stand there. */
const BELOW = 30;
const axis = computed(() => axisFor("pan", props.width));
const level = computed(() => levelHeight(TOP, props.height - BELOW));
const { marks } = useMarks(() => props.to);

/** What is not sent waits at the foot, side by side or one above the other, so that each can be taken. */
const STEP = 15;
const placed = stableList(
  () => {
    const rows: number[] = [];
    return [...marks.value]
      .sort((a, b) => must(a.ends[0]).at - must(b.ends[0]).at)
      .map((mark) => {
        const xs = mark.ends.map((end) => axis.value.x(end.at));
        let row = 0;
        if (mark.unsent) {
          row = rows.findIndex((last) => last < must(xs[0]) - STEP);
          if (row < 0) row = rows.length;
          rows[row] = must(xs[0]);
        }
        const parts = mark.ends.map(({ part }) => part && [axis.value.x(part.from), axis.value.x(part.to)]);
        return { mark, y: level.value.x(mark.level) - row * STEP, xs, parts };
      });
  },
  ({ mark }) => mark.source.id,
);
/** Beyond this many, names that would cover others are left out until one comes near. */
const CROWDED = 24;
/** The source that the pointer or the keyboard is at. */
const pointed = ref("");
function point(source: string, isHere: boolean): void {
  if (isHere) pointed.value = source;
  else if (pointed.value === source) pointed.value = "";
}
type Placed = (typeof placed.value)[number];
const named = ({ mark, xs, y }: Placed): Named => ({
  id: mark.source.id,
  text: mark.chosen
    ? `${mark.source.name}  ${endsText(mark.ends)} · ${levelText(mark.level)}`
    : mark.source.name,
  quiet: mark.unsent || placed.value.length > CROWDED,
  x: Math.max(...xs),
  left: Math.min(...xs),
  y,
  first: selection.all.includes(mark.source.id) || mark.source.id === pointed.value,
});
const layOut = (names: Named[], others: Named[] = [], taken = new Map<string, Label>()): Map<string, Label> =>
  laidOut(names, props.width, TOP - 8, props.height - (props.to ? 18 : 4), others, taken);
/** Names of what stands stay where they are, whatever goes by; those of what moves find their place among them. */
const standing = stableList(
  () => placed.value.filter(({ mark }) => !mark.moves).map(named),
  ({ id }) => id,
);
const labelsStanding = stable(() => layOut(standing.value));
const labels = stable(
  () =>
    new Map([
      ...labelsStanding.value,
      ...layOut(
        placed.value.filter(({ mark }) => mark.moves).map(named),
        standing.value,
        labelsStanding.value,
      ),
    ]),
);
const { ordered, hold } = useDrawingOrder(
  () => placed.value,
  (one) => one.mark.source.id,
);

/** From left to right. */
const { stop, onFocus, onKey } = useMarkStops(surface, () => placed.value.map(({ mark }) => mark.source.id));

function at(event: PointerEvent): { pan: number; level: number } {
  const box = must(surface.value).getBoundingClientRect();
  return {
    pan: axis.value.value(event.clientX - box.left),
    level: level.value.value(event.clientY - box.top),
  };
}
</script>

<template>
  <svg
    ref="surface"
    class="field"
    :width="width"
    :height="height"
    role="group"
    :aria-label="to ? $t('field.sendsToName', { name: to.name }) : $t('field.positionsAndLevelsOfAll')"
    @focusin="onFocus"
    @keydown="onKey"
    @pointerdown.capture="hold"
    @pointerdown.self="selection.alone || selection.choose(null)"
  >
    <g class="grid">
      <template v-for="tick in axis.ticks" :key="tick.value">
        <line
          :x1="axis.x(tick.value)"
          :x2="axis.x(tick.value)"
          :y1="TOP - 10"
          :y2="height - BELOW + 8"
          :class="{ centre: tick.value === 0 }"
        />
        <text :x="axis.x(tick.value)" y="20" text-anchor="middle" :class="tick.side">{{ tick.label }}</text>
      </template>
      <template v-for="tick in level.ticks" :key="`l${tick.value}`">
        <line
          :x1="axis.x(-1)"
          :x2="axis.x(1)"
          :y1="level.x(tick.value)"
          :y2="level.x(tick.value)"
          :class="{ zero: tick.value === 0 }"
        />
        <text class="level" :x="axis.x(-1) - 8" :y="level.x(tick.value) + 4" text-anchor="end">
          {{ tick.label }}
        </text>
      </template>
    </g>
    <text v-if="to" class="hint" :x="axis.x(0)" :y="height - 6" text-anchor="middle">
      {{ $t("field.atTheBottomNotSent") }}
    </text>
    <FieldMark
      v-for="one in ordered"
      :key="one.mark.source.id"
      :mark="one.mark"
      :xs="one.xs"
      :parts="one.parts"
      :y="one.y"
      :own-x="one.mark.shift ? axis.x(one.mark.own) : null"
      :label="labels.get(one.mark.source.id)"
      :at="at"
      :to="to"
      :tab="one.mark.source.id === stop ? 0 : -1"
      @point="point(one.mark.source.id, $event)"
    />
  </svg>
</template>

<style scoped>
.field {
  display: block;
  background: var(--paper);
  touch-action: pan-y;
  user-select: none;
}
.grid line {
  stroke: var(--rule);
}
.grid line.centre {
  stroke: var(--ink);
  opacity: 0.55;
}
.grid line.zero {
  stroke: var(--rule-strong);
  stroke-width: 1.5;
}
text {
  font: 11px var(--mono);
  fill: var(--ink);
}
text.side-left {
  fill: var(--left);
}
text.side-right {
  fill: var(--right);
}
text.level {
  fill: var(--quiet);
}
text.hint {
  font: 12px var(--sans);
  fill: var(--quiet);
}
</style>
