<script setup lang="ts">
/** The chart's tools: what the pointer does, what it snaps to, how near one looks, what else is shown. */
import { Button } from "ant-design-vue";
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
      <Button
        v-for="one in TOOLS"
        :key="one.name"
        size="small"
        :aria-pressed="tools.tool === one.name"
        :title="`${one.tip} (${one.key.toUpperCase()})`"
        :disabled="!session.mayEdit && one.name !== 'points' && one.name !== 'range'"
        @click="tools.tool = one.name"
      >
        {{ one.title }}
      </Button>
    </div>
    <label class="snap" :title="$t('chartTools.gridThatPointsRangesAnd')">
      <span>{{ $t("chartTools.snap") }}</span>
      <select v-model="view.gridParts" :aria-label="$t('chartTools.snapTo')">
        <option v-for="one in SNAPS" :key="one.parts" :value="one.parts">{{ one.title }}</option>
      </select>
    </label>
    <Button
      size="small"
      :aria-pressed="tools.toPlaces"
      :title="$t('chartTools.positionsSnapToLeftCentre')"
      @click="tools.toPlaces = !tools.toPlaces"
    >
      L·C·R
    </Button>
    <span class="space" />
    <Button
      v-if="width > 620"
      size="small"
      :aria-pressed="tools.waveform"
      :title="$t('chartTools.showTheSelectedSourceS')"
      @click="tools.waveform = !tools.waveform"
    >
      {{ $t("chartTools.waveform") }}
    </Button>
    <select
      v-if="width > 620"
      v-model="tools.others"
      :aria-label="$t('chartTools.linesOfOtherSources')"
      :title="$t('chartTools.linesOfOtherSources')"
    >
      <option v-for="(title, name) in OTHERS" :key="name" :value="name">{{ title }}</option>
    </select>
    <div class="group" role="group" :aria-label="$t('chartTools.zoom')">
      <Button
        size="small"
        :title="$t('chartTools.zoomOut')"
        :aria-label="$t('chartTools.zoomOut2')"
        @click="view.zoom(1 / 1.5, view.height / 2)"
      >
        −
      </Button>
      <Button
        size="small"
        :title="$t('chartTools.zoomIn')"
        :aria-label="$t('chartTools.zoomIn2')"
        @click="view.zoom(1.5, view.height / 2)"
      >
        +
      </Button>
      <Button size="small" :title="$t('chartTools.fitTheRangeTheLoop')" @click="moves.fit">
        {{ $t("chartTools.fit") }}
      </Button>
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
.group .ant-btn {
  border-radius: 0;
  margin-left: -1px;
}
.group .ant-btn:first-child {
  border-radius: 3px 0 0 3px;
  margin-left: 0;
}
.group .ant-btn:last-child {
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
.ant-btn.ant-btn-sm {
  padding: 0 6px;
  flex: none;
  white-space: nowrap;
}
.space {
  flex: 1;
}
</style>
