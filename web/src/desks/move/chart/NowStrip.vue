<script setup lang="ts">
/** Every source at its place at the playhead, on the chart's own axis. A pointer, or either end, may be dragged. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import { computed, ref } from "vue";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { axisFor, labelled } from "@/ui/drawing/axis";
import Marker from "./Marker.vue";
import { useDrawingOrder } from "@/session/markOrder";
import { useChartView } from "@/session/view";

const props = defineProps<{ width: number }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const view = useChartView();

const axis = computed(() => axisFor("pan", props.width));
const ruler = computed(() => axisFor(view.parameter, props.width));
const strip = ref<HTMLElement>();

/** The chosen ones last, so that they lie on top. */
const { ordered, hold } = useDrawingOrder(
  () => selection.shownSources,
  (source) => source.id,
);

const panAt = (clientX: number): number =>
  axis.value.value(clientX - must(strip.value).getBoundingClientRect().left);
</script>

<template>
  <div
    ref="strip"
    class="strip"
    :aria-label="$t('nowStrip.positionOfEverySourceNow')"
    @pointerdown.capture="hold"
  >
    <span
      v-for="(tick, i) in ruler.ticks"
      v-show="labelled(width, i)"
      :key="tick.value"
      class="tick number"
      :class="tick.side"
      :style="{ left: `${ruler.x(tick.value)}px` }"
      >{{ tick.label }}</span
    >
    <Marker
      v-for="source in ordered"
      :key="source.id"
      :source="source"
      :x="axis.x"
      :pan-at="panAt"
      :chosen="selection.all.includes(source.id)"
      :heard="player.hears(source.id, session.muted(source))"
    />
  </div>
</template>

<style scoped>
.strip {
  position: relative;
  height: 58px;
  background: var(--raised);
  border-bottom: 2px solid var(--heavy);
  overflow: hidden;
}
.tick {
  position: absolute;
  top: 8px;
  transform: translateX(-50%);
  font-size: 11px;
  white-space: nowrap;
}
</style>
