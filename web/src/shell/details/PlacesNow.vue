<script setup lang="ts">
/** Where a source is now in large figures: one place, or both ends of it. */
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import { endsOf } from "@/domain/ends";
import { sideClass } from "@/domain/format";
import { useHolding } from "@/gestures/holding";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import ParameterField from "@/ui/ParameterField.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const player = usePlayer();
const hand = useHolding();
const ends = computed(() =>
  endsOf(props.source.mode, (parameter) => session.valueAt(props.source, parameter, player.playhead)),
);
const locked = computed(() => !session.mayEdit || !!hand.holderOf(props.source));
const named = {
  whole: t("placesNow.placeNow"),
  left: t("placesNow.leftSideNow"),
  right: t("placesNow.rightSideNow"),
};
</script>

<template>
  <div class="places">
    <ParameterField
      v-for="end in ends"
      :key="end.side"
      live
      class="place"
      :class="[sideClass(end.at), { half: ends.length > 1 }]"
      parameter="pan"
      :value="end.at"
      :label="named[end.side]"
      :disabled="locked"
      @set="hand.set(source, hand.toEnd(source, end.side, $event), false)"
    />
  </div>
</template>

<style scoped>
.places {
  display: flex;
  flex: 1;
  min-width: 0;
  margin-left: -6px;
}
.place {
  width: 112px;
  height: 42px;
  padding: 0 6px;
  font-size: 30px;
  font-weight: 500;
}
.place.half {
  width: 80px;
  font-size: 22px;
}
</style>
