<script setup lang="ts">
/** The Move desk's details: where the source is now, its lane, what was recorded, the picked stretch or the points. */
import { must } from "@/domain/must";
import type { Source } from "@/domain/model";
import { Button } from "ant-design-vue";
import { computed, watch } from "vue";
import { useChartView } from "@/session/view";
import { leanText, levelText, sideClass } from "@/domain/format";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { useLean } from "@/audio/lean";
import { useLibrary } from "@/session/library";
import { useMoves } from "@/session/moves";
import { usePickedPoints } from "@/session/pickedPoints";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import PlacesNow from "@/shell/details/PlacesNow.vue";
import PointsTable from "./PointsTable.vue";
import LanePart from "./LanePart.vue";
import RangePart from "./RangePart.vue";
import TakesPart from "@/desks/move/recording/TakesPart.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const edits = useEdits();
const hand = useHolding();
const lean = useLean();
const library = useLibrary();
const moves = useMoves();
const picked = usePickedPoints();

const mode = computed(() => library.library?.modes.find((one) => one.name === props.source.mode));
const level = computed(() => session.valueAt(props.source, "level", player.playhead));
const sounding = computed(() => session.soundingLevelAt(props.source, player.playhead));
const points = computed(() => (view.lane ? session.points(view.lane.owner, view.lane.parameter) : []));
const holder = computed(() => hand.holderOf(props.source));
// Another source, or another way of panning it, may not have the lane that was shown.
watch(
  () => view.lanesHere,
  (offered) => {
    const exists = offered.some(
      ({ owner, parameter }) => owner === view.lane?.owner && parameter === view.lane?.parameter,
    );
    if (!exists && offered[0]) view.showLane(offered[0]);
  },
  { immediate: true },
);
const here = computed(() => lean.lean?.long[Math.floor(player.playhead / (lean.lean?.hop ?? 1))] ?? null);
const stretch = computed(() =>
  lean.lean?.stretches.find((one) => player.playhead >= one.start && player.playhead < one.end),
);
</script>

<template>
  <header>
    <span class="ink" :style="{ background: inkOf(source.colour) }" />
    <h2>{{ source.name }}</h2>
    <span class="quiet">{{ source.channels === 2 ? $t("moveDetails.stereo") : $t("moveDetails.mono") }}</span>
  </header>
  <div class="now">
    <PlacesNow :source="source" />
    <p class="quiet">
      {{ levelText(level) }}
      <template v-if="Math.abs(sounding - level) >= 0.05">→ {{ levelText(sounding) }}</template
      ><br />
      {{
        source.mode === "pan"
          ? library.library?.laws[session.settings?.law ?? ""]
          : $t("moveDetails.panModeMode", { mode: mode?.title ?? source.mode })
      }}
    </p>
  </div>
  <p v-if="holder" class="held">{{ $t("moveDetails.nameIsMovingIt", { name: holder.name }) }}</p>
  <LanePart v-if="view.lane" :source="source" :lane="view.lane" />
  <TakesPart />
  <RangePart />
  <template v-if="view.lane && !moves.span">
    <h3 class="heading points">
      {{ $t("moveDetails.points") }} <span class="number">{{ points.length || "" }}</span>
      <span v-if="picked.indexes.length" class="quiet picked" role="status">{{
        $t("moveDetails.selectedCount", { count: picked.indexes.length }, picked.indexes.length)
      }}</span>
      <Button
        type="text"
        size="small"
        :title="$t('moveDetails.selectThePassageOrBar')"
        @click="moves.pickHere"
        >{{ $t("moveDetails.selectRange") }}</Button
      >
      <Button
        v-if="points.length"
        type="text"
        size="small"
        :disabled="!session.mayEdit"
        @click="edits.clearLane(must(view.lane).owner, must(view.lane).parameter)"
        >{{ $t("moveDetails.clearAll") }}</Button
      >
    </h3>
    <PointsTable :lane="view.lane" :points="points" />
  </template>
  <p class="against">
    <span class="quiet">{{
      stretch ? session.grid.barsText(stretch.start, stretch.end) : $t("moveDetails.leanAtThePlayhead3")
    }}</span>
    <span class="number" :class="sideClass(stretch?.mean_db ?? here)">{{
      leanText(stretch?.mean_db ?? here)
    }}</span>
    <span class="quiet">{{
      stretch ? $t("moveDetails.outOfTolerance") : $t("moveDetails.withinTolerance")
    }}</span>
  </p>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 10px;
}
header h2 {
  flex: 1;
  font-size: 17px;
}
.ink {
  width: 5px;
  height: 22px;
}
.now {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-top: 2px;
}
.now p {
  font-size: 12px;
  line-height: 1.4;
}
.held {
  margin-top: 4px;
  font-size: 12px;
  font-weight: 600;
}
.points {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 6px;
  margin: 10px 0 4px;
}
.points .picked {
  text-transform: none;
  letter-spacing: 0;
}
.points button {
  margin-left: auto;
  padding: 0 4px;
  font-size: 12px;
  text-transform: none;
  letter-spacing: 0;
}
.against {
  display: flex;
  gap: 8px;
  margin-top: auto;
  padding-top: 6px;
  border-top: 1px solid var(--rule);
  font-size: 13px;
}
.against .quiet:last-child {
  margin-left: auto;
}
</style>
