<script setup lang="ts">
/** The chart's tools: what the pointer does, what it snaps to, how near one looks, what else is shown. */
import { t } from "@/words";
import { useMoves } from "@/session/moves";
import { useSession } from "@/session/session";
import { SNAPS, TOOLS, useTools } from "@/session/tools";
import { useChartView } from "@/session/view";

defineProps<{ width: number }>();
const session = useSession();
const view = useChartView();
const tools = useTools();
const moves = useMoves();

const OTHERS = {
  shown: t("chartTools.othersShown"),
  dimmed: t("chartTools.othersDimmed"),
  hidden: t("chartTools.othersHidden"),
};
</script>

<template>
  <div class="tools" role="toolbar" :aria-label="$t('chartTools.chartTools')">
    <div class="group" role="group" :aria-label="$t('chartTools.pointerTool')">
      <button
        v-for="one in TOOLS"
        :key="one.name"
        class="small-button"
        :aria-pressed="tools.tool === one.name"
        :title="`${one.tip} (${one.key.toUpperCase()})`"
        :disabled="!session.mayEdit && one.name !== 'points' && one.name !== 'range'"
        @click="tools.tool = one.name"
      >
        {{ one.title }}
      </button>
    </div>
    <label class="snap" :title="$t('chartTools.gridThatPointsRangesAnd')">
      <span>{{ $t("chartTools.snap") }}</span>
      <select v-model="view.gridParts" :aria-label="$t('chartTools.snapTo')">
        <option v-for="one in SNAPS" :key="one.parts" :value="one.parts">{{ one.title }}</option>
      </select>
    </label>
    <button
      class="small-button"
      :aria-pressed="tools.toPlaces"
      :title="$t('chartTools.positionsSnapToLeftCentre')"
      @click="tools.toPlaces = !tools.toPlaces"
    >
      L·C·R
    </button>
    <span class="space" />
    <button
      v-if="width > 620"
      class="small-button"
      :aria-pressed="tools.waveform"
      :title="$t('chartTools.showTheSelectedSourceS')"
      @click="tools.waveform = !tools.waveform"
    >
      {{ $t("chartTools.waveform") }}
    </button>
    <select
      v-if="width > 620"
      v-model="tools.others"
      :aria-label="$t('chartTools.linesOfOtherSources')"
      :title="$t('chartTools.linesOfOtherSources')"
    >
      <option v-for="(title, name) in OTHERS" :key="name" :value="name">{{ title }}</option>
    </select>
    <div class="group" role="group" :aria-label="$t('chartTools.zoom')">
      <button
        class="small-button"
        :title="$t('chartTools.zoomOut')"
        :aria-label="$t('chartTools.zoomOut2')"
        @click="view.zoom(1 / 1.5, view.height / 2)"
      >
        −
      </button>
      <button
        class="small-button"
        :title="$t('chartTools.zoomIn')"
        :aria-label="$t('chartTools.zoomIn2')"
        @click="view.zoom(1.5, view.height / 2)"
      >
        +
      </button>
      <button class="small-button" :title="$t('chartTools.fitTheRangeTheLoop')" @click="moves.fit">
        {{ $t("chartTools.fit") }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  align-items: center;
  gap: 7px;
  flex-wrap: wrap;
  row-gap: 4px;
  min-height: 34px;
  padding: 4px 8px;
  background: var(--raised);
  border-bottom: 1px solid var(--rule);
}
.group {
  display: flex;
  flex: none;
}
.group .small-button {
  border-radius: 0;
  margin-left: -1px;
}
.group .small-button:first-child {
  border-radius: 3px 0 0 3px;
  margin-left: 0;
}
.group .small-button:last-child {
  border-radius: 0 3px 3px 0;
}
.snap {
  display: flex;
  align-items: center;
  gap: 4px;
  font-size: 12px;
  color: var(--quiet);
}
select {
  flex: none;
  height: 24px;
  padding: 0 2px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 12px;
}
.small-button {
  flex: none;
  white-space: nowrap;
}
.space {
  flex: 1;
}
</style>
