<script setup lang="ts">
/** A loudspeaker in the picture: pressed, it may sound for the chosen source or may not. */
import { t } from "@/words";
import { computed } from "vue";
import type { Schemas } from "@/api/http";
import type { RoomView } from "./view";

const props = defineProps<{
  speaker: Schemas["SpeakerOut"];
  view: RoomView;
  /** How strong the chosen source is in it; null without one. */
  gain: number | null;
  off: boolean;
  may: boolean;
}>();
defineEmits<{ toggle: [] }>();
const x = computed(() => props.view.x(props.speaker.place));
const y = computed(() => props.view.y(props.speaker.place));
const turn = computed(
  () => (Math.atan2(props.view.cy - y.value, props.view.cx - x.value) * 180) / Math.PI - 90,
);
/** Names stand outside the room. */
const name = computed(() => {
  const [dx, dy] = [x.value - props.view.cx, y.value - props.view.cy];
  const away = Math.hypot(dx, dy) || 1;
  return { x: x.value + (dx / away) * 23, y: y.value + (dy / away) * 23 + 4 };
});
/** From the side both of a pair stand in one place: they are named together. */
const label = computed(() => {
  const { label, azimuth } = props.speaker;
  if (!props.view.side || azimuth === 0) return label;
  return azimuth > 0 ? `L/R${label.slice(1)}` : "";
});
const above = computed(() => props.speaker.elevation > 0);
const said = computed(() => {
  const state = props.off ? t("speaker.excluded") : t("speaker.used");
  return t("speaker.loudspeakerStateGain", {
    label: props.speaker.label,
    state,
    gain: props.gain === null ? "" : `, ${Math.round(props.gain * 100)} %`,
  });
});
</script>

<template>
  <g
    class="speaker"
    :class="{ off, above, may }"
    :data-speaker="speaker.name"
    role="button"
    :tabindex="may ? 0 : -1"
    :aria-label="said"
    :aria-pressed="!off"
    @click="may && $emit('toggle')"
    @keydown.enter.prevent="may && $emit('toggle')"
    @keydown.space.prevent.stop="may && $emit('toggle')"
  >
    <title>{{ said }}{{ may ? ". Press to change" : "" }}</title>
    <circle class="grip" :cx="x" :cy="y" r="15" />
    <circle v-if="above" class="body" :cx="x" :cy="y" r="8" />
    <path v-else class="body" :transform="`translate(${x} ${y}) rotate(${turn})`" d="M-6-7H6L10 7H-10Z" />
    <path v-if="off" class="cross" :d="`M${x - 11} ${y - 11}L${x + 11} ${y + 11}`" />
    <text :x="name.x" :y="name.y" text-anchor="middle">{{ label }}</text>
  </g>
</template>

<style scoped>
.speaker {
  outline: none;
}
.may {
  cursor: pointer;
}
.grip {
  fill: transparent;
}
.body {
  fill: var(--ink);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.above .body {
  fill: var(--raised);
}
.off .body {
  fill: var(--paper);
  stroke-dasharray: 2 2;
}
.cross {
  stroke: var(--left);
  stroke-width: 2;
}
.speaker:focus-visible .body {
  stroke: var(--lamp);
  stroke-width: 3;
}
text {
  font: 600 11px var(--sans);
  fill: var(--ink);
  pointer-events: none;
}
.off text {
  fill: var(--quiet);
  text-decoration: line-through;
}
</style>
