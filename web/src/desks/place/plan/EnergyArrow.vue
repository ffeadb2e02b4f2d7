<script setup lang="ts">
/** Where the energy of the mix comes from, now: an arrow from the listener. */
import { computed } from "vue";
import { t } from "@/words";
import { usePlayer } from "@/audio/player";
import { directionText } from "@/domain/format";
import type { RoomView } from "./view";

const props = defineProps<{ view: RoomView }>();
const player = usePlayer();

const energy = computed(() => {
  const now = player.now;
  const [x, y, z, azimuth] = [now?.energy_x, now?.energy_y, now?.energy_z, now?.energy_azimuth];
  if (x === undefined || y === undefined || z === undefined || azimuth === undefined || Number.isNaN(x))
    return null;
  const { cx, cy } = props.view;
  const [tx, ty] = [props.view.x([x, y, z]), props.view.y([x, y, z])];
  return {
    tx,
    ty,
    away: Math.hypot(tx - cx, ty - cy),
    turn: (Math.atan2(ty - cy, tx - cx) * 180) / Math.PI,
    text: t("roomPicture.mixDirection", { direction: directionText(azimuth, 0) }),
  };
});
</script>

<template>
  <g v-if="energy" class="energy" aria-hidden="true">
    <path :d="`M${view.cx} ${view.cy}L${energy.tx} ${energy.ty}`" />
    <path
      v-if="energy.away > 8"
      class="tip"
      :transform="`translate(${energy.tx} ${energy.ty}) rotate(${energy.turn})`"
      d="M6 0L-5-5V5Z"
    />
    <text :x="energy.tx + 10" :y="energy.ty - 7">{{ energy.text }}</text>
  </g>
</template>

<style scoped>
.energy {
  pointer-events: none;
}
path {
  stroke: var(--lamp);
  stroke-width: 2.5;
  fill: none;
}
.tip {
  fill: var(--lamp);
}
text {
  font: 11px var(--sans);
  fill: var(--quiet);
}
</style>
