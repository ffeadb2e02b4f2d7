<script setup lang="ts">
/** The chart's accessible twin: every point in a row, each of its values to be typed. */
import { nextTick, ref, watch } from "vue";
import { SHAPES } from "@/chart/shapes";
import { useChartView } from "@/chart/view";
import type { Point } from "@/geometry/lanes";
import { sideClass } from "@/geometry/pan";
import { FACES } from "@/geometry/parameters";
import { useEdits } from "@/session/edits";
import { useSession, type Source } from "@/session/session";
import { usePlayer } from "@/sound/player";
import ParameterField from "@/ui/ParameterField.vue";
import ValueField from "@/ui/ValueField.vue";

const props = defineProps<{ source: Source; points: Point[] }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const edits = useEdits();
const body = ref<HTMLElement>();

const move = (index: number, point: Point): void => {
  edits.movePoint(props.source.id, view.parameter, index, point);
  view.point = session.points(props.source.id, view.parameter).findIndex((one) => one.t === point.t);
};

const shapeIn = (event: Event): Point["shape"] => (event.target as HTMLSelectElement).value as Point["shape"];

function remove(index: number): void {
  view.point = null;
  edits.deletePoint(props.source.id, view.parameter, index);
}

watch(
  () => view.point,
  async (index) => {
    await nextTick();
    if (index !== null) body.value?.children[index]?.scrollIntoView({ block: "nearest" });
  },
);
</script>

<template>
  <div class="frame">
    <table>
      <thead class="hidden-label">
        <tr>
          <th>Bar</th>
          <th>Value</th>
          <th>Shape</th>
          <th>Tension</th>
          <th>Delete</th>
        </tr>
      </thead>
      <tbody ref="body">
        <tr
          v-for="(point, index) in points"
          :key="index"
          :class="{ chosen: view.point === index }"
          @focusin="view.point = index"
          @click="view.point = index"
        >
          <td class="bar">
            <ValueField
              :value="point.t"
              :label="`Bar of point ${index + 1}`"
              :text="(at) => session.grid.text(at)"
              :parse="(text) => session.grid.parse(text)"
              :disabled="!session.mayEdit"
              hint="Type a bar and beat, such as 17.3"
              @set="move(index, { ...point, t: $event })"
            />
          </td>
          <td class="value" :class="view.parameter.startsWith('pan') ? sideClass(point.value) : ''">
            <ParameterField
              :parameter="view.parameter"
              :value="point.value"
              :label="`${FACES[view.parameter].point} of point ${index + 1}`"
              :disabled="!session.mayEdit"
              @set="move(index, { ...point, value: $event })"
            />
          </td>
          <td>
            <select
              :value="point.shape"
              :aria-label="`Shape after point ${index + 1}`"
              :disabled="!session.mayEdit"
              @change="move(index, { ...point, shape: shapeIn($event) })"
            >
              <option v-for="shape in SHAPES" :key="shape" :value="shape">{{ shape }}</option>
            </select>
          </td>
          <td class="tension">
            <ValueField
              v-if="point.shape === 'curve'"
              :value="point.tension"
              :label="`Tension after point ${index + 1}`"
              :text="(value) => value.toFixed(1)"
              :parse="(text) => (Math.abs(Number(text)) <= 1 ? Number(text) : null)"
              :step="0.1"
              :low="-1"
              :high="1"
              :initial="0"
              :disabled="!session.mayEdit"
              hint="From −1 (quick first) to 1 (slow first)"
              @set="move(index, { ...point, tension: Math.round($event * 10) / 10 })"
            />
          </td>
          <td>
            <button
              class="remove"
              :disabled="!session.mayEdit"
              :aria-label="`Delete point ${index + 1}`"
              title="Delete this point"
              @click.stop="remove(index)"
            >
              ×
            </button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="!points.length" class="quiet">
      No points: it stays where it is. Double-click the chart, or
      <button
        class="inline"
        :disabled="!session.mayEdit"
        @click="edits.addPoint(source.id, view.parameter, player.playhead, source[view.parameter])"
      >
        put one at the playhead</button
      >.
    </p>
  </div>
</template>

<style scoped>
.frame {
  flex: 1;
  min-height: 90px;
  overflow-y: auto;
  margin: 0 -8px;
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
  background: #e8d9b8;
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
