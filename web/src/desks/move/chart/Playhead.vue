<script setup lang="ts">
/** The lamp's line at the playhead, and the chosen source's place where its own line meets it. */
import { useSelection } from "@/session/selection";
import { computed } from "vue";
import { FACES } from "@/domain/parameters";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import { axisFor } from "@/ui/drawing/axis";
import { useChartView } from "@/session/view";

const props = defineProps<{ width: number }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const view = useChartView();

const y = computed(() => Math.round((player.playhead - view.top) * view.scale));
const axis = computed(() => axisFor(view.parameter, props.width));
const chosen = computed(() => session.sourceById(selection.chosen));
const label = computed(() => {
  const lane = view.lane;
  if (!lane) return null;
  const source = session.sourceById(lane.owner);
  const value = source
    ? session.valueAt(source, view.parameter, player.playhead)
    : session.laneValueAt(lane, player.playhead);
  const text = `${view.nameOf(lane.owner)} ${FACES[view.parameter].text(value)}`;
  const x = Math.round(axis.value.x(value));
  return {
    text,
    x,
    right: x + text.length * 7.5 + 20 < props.width,
    ink: inkOf((source ?? chosen.value)?.colour ?? 0),
  };
});
</script>

<template>
  <div class="playhead" :style="{ transform: `translateY(${y}px)` }">
    <span
      v-if="label"
      class="label number"
      :style="{
        color: label.ink,
        transform: label.right
          ? `translateX(${label.x + 10}px)`
          : `translateX(calc(${label.x - 10}px - 100%))`,
      }"
      >{{ label.text }}</span
    >
  </div>
</template>

<style scoped>
.playhead {
  position: absolute;
  top: -1px;
  left: 0;
  right: 0;
  height: 2px;
  pointer-events: none;
  will-change: transform;
}
.playhead::after {
  content: "";
  position: absolute;
  inset: 0 0 0 22px;
  background: var(--lamp);
}
.playhead::before {
  content: "";
  position: absolute;
  top: -4px;
  left: 16px;
  border: 5px solid transparent;
  border-left: 8px solid var(--lamp);
}
.label {
  position: absolute;
  left: 0;
  bottom: 3px;
  padding: 0 3px;
  background: color-mix(in srgb, var(--paper) 85%, transparent);
  font-size: 12px;
  font-weight: 500;
  line-height: 15px;
  white-space: nowrap;
}
</style>
