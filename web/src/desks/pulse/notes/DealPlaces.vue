<script setup lang="ts">
/** The places of a deal on the field, where each can be dragged; the one that sounds now lights up. */
import { must } from "@/domain/must";
import { computed, ref } from "vue";
import type { Axis } from "@/ui/drawing/axis";
import { eventAt } from "@/domain/events";
import { clamp, panText } from "@/domain/format";
import { useDeals } from "@/session/deals";
import { usePlayer } from "@/audio/player";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{ axis: Axis; colour: string }>();
const deals = useDeals();
const player = usePlayer();

const held = ref<{ id: string; pan: number } | null>(null);
const sounding = computed(() => {
  if (!player.playing) return -1;
  const index = eventAt(deals.dealt, player.playhead);
  return deals.dealt[index]?.place ?? -1;
});
const places = computed(() =>
  (deals.deal?.places ?? []).map((place, i) => {
    const pan = held.value?.id === place.id ? held.value.pan : place.pan;
    return { ...place, pan, number: i + 1, x: props.axis.x(pan), sounds: sounding.value === i };
  }),
);

const drag = usePointerDrag<{ id: string; pan: number }>({
  start: (_, place) => {
    deals.place = place.id;
    if (!deals.mayEdit) return false;
    held.value = { id: place.id, pan: place.pan };
    return true;
  },
  move: (event, { id }) => {
    const strip = must((event.currentTarget as Element).parentElement).getBoundingClientRect();
    const pan = clamp(Math.round(props.axis.value(event.clientX - strip.left) * 100) / 100, -1, 1);
    held.value = { id, pan };
  },
  end: (_, place) => {
    const pan = held.value?.pan ?? place.pan;
    held.value = null;
    if (pan !== place.pan) deals.setPlace(place.id, { pan });
  },
  cancel: () => (held.value = null),
});
function onKey(event: KeyboardEvent, id: string, pan: number): void {
  const by = { ArrowLeft: -0.01, ArrowRight: 0.01 }[event.key];
  if (by === undefined && event.key !== "0") return;
  event.preventDefault();
  event.stopPropagation();
  const next =
    by === undefined ? 0 : clamp(Math.round((pan + by * (event.shiftKey ? 10 : 1)) * 100) / 100, -1, 1);
  deals.setPlace(id, { pan: next });
}
</script>

<template>
  <div class="strip" role="group" :aria-label="$t('dealPlaces.placesOfTheDeal')">
    <button
      v-for="place in places"
      :key="place.id"
      class="spot"
      role="slider"
      :class="{ chosen: deals.place === place.id, sounds: place.sounds }"
      :style="{ transform: `translateX(${place.x}px)`, '--source': colour }"
      :aria-label="$t('dealPlaces.placeNumber', { number: place.number })"
      aria-valuemin="-100"
      aria-valuemax="100"
      :aria-valuenow="Math.round(place.pan * 100)"
      :aria-valuetext="panText(place.pan)"
      :title="
        $t('dealPlaces.placeNumberPanTextDragOr', { number: place.number, panText: panText(place.pan) })
      "
      :data-place="place.id"
      v-on="drag.follow"
      @pointerdown.prevent="drag.down($event, place)"
      @keydown="onKey($event, place.id, place.pan)"
      @focus="deals.place = place.id"
    >
      {{ place.number }}
    </button>
  </div>
</template>

<style scoped>
.strip {
  position: relative;
  height: 40px;
}
.spot {
  position: absolute;
  top: 7px;
  left: 0;
  width: 26px;
  height: 26px;
  margin-left: -13px;
  padding: 0;
  border: 2px solid var(--source);
  border-radius: 4px;
  background: var(--raised);
  font-weight: 600;
  font-size: 12.5px;
  cursor: ew-resize;
  touch-action: none;
}
.spot.chosen {
  box-shadow: 0 0 0 2px var(--lamp);
}
.spot.sounds {
  background: var(--source);
  color: var(--paper);
}
</style>
