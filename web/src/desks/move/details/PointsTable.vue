<script setup lang="ts">
/** The chart's accessible twin: every point in a row, each of its values to be typed. */
import { must } from "@/domain/must";
import type { LaneName, Point } from "@/domain/model";
import { useElementSize } from "@vueuse/core";
import { computed, nextTick, ref, watch } from "vue";
import { reshaped, SHAPES } from "@/desks/move/chart/shapes";
import { useChartView } from "@/session/view";
import { sideClass } from "@/domain/format";
import { FACES } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
import { usePickedPoints } from "@/session/pickedPoints";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import ParameterField from "@/ui/ParameterField.vue";
import ValueField from "@/ui/ValueField.vue";

const props = defineProps<{ lane: LaneName; points: Point[] }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const edits = useEdits();
const picked = usePickedPoints();
const frame = ref<HTMLElement>();

const move = (index: number, point: Point): void => {
  edits.movePoint(props.lane.owner, view.parameter, index, point);
  view.point = session.points(props.lane.owner, view.parameter).findIndex(({ t }) => t === point.t);
};

const shapeIn = (event: Event): Point["shape"] => (event.target as HTMLSelectElement).value as Point["shape"];

function remove(index: number): void {
  view.point = null;
  edits.deletePoint(props.lane.owner, view.parameter, index);
}

/** Only the rows in sight are in the page, and some on either side for the keyboard to go on to. */
const ROW = 27;
const AROUND = 12;
const scrolled = ref(0);
const { height } = useElementSize(frame);
const first = computed(() => Math.max(Math.floor(scrolled.value / ROW) - AROUND, 0));
const last = computed(() =>
  Math.min(Math.ceil((scrolled.value + height.value) / ROW) + AROUND, props.points.length),
);
const rows = computed(() =>
  props.points.slice(first.value, last.value).map((point, i) => ({ point, index: first.value + i })),
);

watch(
  () => view.point,
  async (index) => {
    await nextTick();
    if (index === null || !frame.value) return;
    const [top, bottom] = [index * ROW, (index + 1) * ROW];
    if (top < frame.value.scrollTop) frame.value.scrollTop = top;
    else if (bottom > frame.value.scrollTop + height.value) frame.value.scrollTop = bottom - height.value;
  },
);
</script>

<template>
  <div ref="frame" class="frame" @scroll.passive="scrolled = must(frame).scrollTop">
    <table :aria-rowcount="points.length + 1">
      <thead class="hidden-label">
        <tr>
          <th>{{ $t("pointsTable.bar") }}</th>
          <th>{{ $t("pointsTable.value") }}</th>
          <th>{{ $t("pointsTable.shape") }}</th>
          <th>{{ $t("pointsTable.tension") }}</th>
          <th>{{ $t("pointsTable.delete") }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-if="first" aria-hidden="true" :style="{ height: `${first * ROW}px` }" />
        <tr
          v-for="{ point, index } in rows"
          :key="index"
          :aria-rowindex="index + 2"
          :class="{ chosen: view.point === index || picked.indexes.includes(index) }"
          @focusin="view.point = index"
          @click="view.point = index"
        >
          <td class="bar">
            <ValueField
              :value="point.t"
              :label="$t('pointsTable.barOfPointIndex', { index: index + 1 })"
              :text="(at) => session.grid.text(at)"
              :parse="(text) => session.grid.parse(text)"
              :disabled="!session.mayEdit"
              :hint="$t('pointsTable.typeABarAndBeat')"
              @set="move(index, { ...point, t: $event })"
            />
          </td>
          <td class="value" :class="view.parameter.startsWith('pan') ? sideClass(point.value) : ''">
            <ParameterField
              :parameter="view.parameter"
              :value="point.value"
              :label="
                $t('pointsTable.pointOfPointIndex', { point: FACES[view.parameter].point, index: index + 1 })
              "
              :disabled="!session.mayEdit"
              @set="move(index, { ...point, value: $event })"
            />
          </td>
          <td>
            <select
              :value="point.shape"
              :aria-label="$t('pointsTable.shapeAfterPointIndex', { index: index + 1 })"
              :disabled="!session.mayEdit"
              @change="move(index, reshaped(point, shapeIn($event)))"
            >
              <option v-for="shape in SHAPES" :key="shape" :value="shape">{{ $t(`shapes.${shape}`) }}</option>
            </select>
          </td>
          <td class="tension">
            <ValueField
              v-if="point.shape === 'curve'"
              :value="point.tension"
              :label="$t('pointsTable.tensionAfterPointIndex', { index: index + 1 })"
              :text="(value) => value.toFixed(1)"
              :parse="(text) => (Math.abs(Number(text)) <= 1 ? Number(text) : null)"
              :step="0.1"
              :low="-1"
              :high="1"
              :initial="0"
              :disabled="!session.mayEdit"
              :hint="$t('pointsTable.from1QuickFirstTo')"
              @set="move(index, { ...point, tension: Math.round($event * 10) / 10 })"
            />
          </td>
          <td>
            <button
              class="remove"
              :disabled="!session.mayEdit"
              :aria-label="$t('pointsTable.deletePointIndex', { index: index + 1 })"
              :title="$t('pointsTable.deleteThisPoint')"
              @click.stop="remove(index)"
            >
              ×
            </button>
          </td>
        </tr>
        <tr
          v-if="last < points.length"
          aria-hidden="true"
          :style="{ height: `${(points.length - last) * ROW}px` }"
        />
      </tbody>
    </table>
    <p v-if="!points.length" class="quiet">
      {{ $t("pointsTable.noPointsTheValueDoes") }}
      <button
        class="inline"
        :disabled="!session.mayEdit"
        @click="
          edits.addPoint(
            lane.owner,
            view.parameter,
            player.playhead,
            session.laneValueAt(lane, player.playhead),
          )
        "
      >
        {{ $t("pointsTable.addOneAtThePlayhead") }}</button>.
    </p>
  </div>
</template>

<style scoped>
.frame {
  flex: 1;
  min-height: 90px;
  overflow-y: auto;
  margin: 0 -8px;
  contain: strict;
}
tr {
  height: 27px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 13px;
}
td {
  padding: 1px 2px;
}
tr.chosen {
  background: var(--lamp-soft);
}
.bar {
  width: 84px;
}
.value {
  width: 76px;
}
.tension {
  width: 44px;
}
select {
  height: 24px;
  border: 1px solid transparent;
  background: transparent;
  border-radius: 3px;
  color: var(--quiet);
}
select:hover:not(:disabled) {
  border-color: var(--rule-strong);
}
.remove {
  border: 0;
  background: none;
  color: var(--quiet);
  cursor: pointer;
}
.remove:disabled {
  visibility: hidden;
}
p {
  padding: 4px 8px;
  font-size: 13px;
}
.inline {
  padding: 0;
  border: 0;
  background: none;
  color: var(--right);
  text-decoration: underline;
  cursor: pointer;
}
</style>
