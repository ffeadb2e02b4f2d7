<script setup lang="ts">
/** The Balance desk: the lean of the whole piece, what sounds now, and what to do about a stretch that leans. */
import { useSelection } from "@/session/selection";
import { t } from "@/words";
import { computed, shallowRef, watch } from "vue";
import type { Schemas } from "@/api/http";
import BalanceFoot from "@/shell/meters/BalanceFoot.vue";
import { useLean } from "@/audio/lean";
import { useSession } from "@/session/session";
import { inkOf } from "@/ui/theme";
import { useMeasurement } from "@/desks/balance/details/measurement";
import CausesPart from "@/desks/balance/details/CausesPart.vue";
import { useCounterweight } from "@/desks/balance/details/counterweight";
import CounterweightPart from "@/desks/balance/details/CounterweightPart.vue";
import LeanChart, { type Curve } from "@/desks/balance/overview/LeanChart.vue";
import NowNumbers from "@/desks/balance/overview/NowNumbers.vue";
import PairPart from "@/desks/balance/details/PairPart.vue";
import { palette } from "@/ui/palette";

const props = defineProps<{ width: number; height: number; follows?: boolean }>();
const session = useSession();
const selection = useSelection();
const lean = useLean();
const weight = useCounterweight();
const own = useMeasurement<Schemas["BalanceOut"]>("balance");

const SIDE = 284;
const FOOT = 152;
const HEAD = 30;
const beside = computed(() => props.width >= 620);
const chartWidth = computed(() => (beside.value ? props.width - SIDE : props.width));
const chartHeight = computed(() => Math.max(props.height - HEAD - FOOT, 160));

/** The lean of what is chosen, by itself, beside the whole mix's. */
const shown = shallowRef(true);
const AFTER_CHANGE = 500;
let timer: ReturnType<typeof setTimeout> | undefined;
watch(
  [
    () => shown.value && selection.all.join(","),
    () => session.revision,
    () => session.connected && lean.done >= 1,
  ],
  ([solo, , free]) => {
    clearTimeout(timer);
    if (!solo) return own.clear();
    if (free) timer = setTimeout(() => void own.ask({ solo }), AFTER_CHANGE);
  },
  { immediate: true },
);
const chosen = computed(() => session.sources.filter((one) => selection.all.includes(one.id)));
const chosenNames = computed(() =>
  chosen.value.length > 3
    ? t("balanceDesk.sourcesCount", { count: chosen.value.length }, chosen.value.length)
    : chosen.value.map((one) => one.name).join(" + "),
);
const chosenInk = computed(() => inkOf(chosen.value[0]?.colour ?? 0));
const curves = computed<Curve[]>(() => [
  ...(shown.value && own.found.value?.overview
    ? [{ values: own.found.value.overview.long, colour: chosenInk.value, dash: [] }]
    : []),
  ...(weight.found?.changes.length && !weight.stale
    ? [{ values: weight.found.long, colour: palette.ink, dash: [4, 3] }]
    : []),
]);
</script>

<template>
  <div class="balance" :class="{ beside }">
    <div class="over-time">
      <header :style="{ height: `${HEAD}px` }">
        <h2>{{ $t("balanceDesk.leanOfTheWholeMix") }}</h2>
        <span v-if="weight.found?.changes.length && !weight.stale" class="with">{{
          $t("balanceDesk.withTheCounterweight")
        }}</span>
        <button
          v-if="chosenNames"
          class="own"
          :aria-pressed="shown"
          :style="{ color: chosenInk }"
          :title="shown ? $t('balanceDesk.hideTheLeanOfThe') : $t('balanceDesk.showTheLeanOfThe')"
          @click="shown = !shown"
        >
          {{ shown ? $t("balanceDesk.selected") : $t("balanceDesk.showSelected") }}: {{ chosenNames
          }}{{ own.done.value < 1 ? "…" : "" }}
        </button>
      </header>
      <LeanChart :width="chartWidth" :height="chartHeight" :curves="curves" :follows="follows" />
      <BalanceFoot :width="chartWidth" full />
    </div>
    <div class="side">
      <div class="parts">
        <CausesPart />
        <PairPart />
        <CounterweightPart />
      </div>
      <NowNumbers :style="{ height: `${FOOT}px` }" />
    </div>
  </div>
</template>

<style scoped>
.balance {
  height: 100%;
  overflow-y: auto;
  background: var(--paper);
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 284px;
  overflow: hidden;
}
.over-time {
  min-width: 0;
}
header {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 12px;
  white-space: nowrap;
  overflow: hidden;
}
h2 {
  font-size: 13px;
  font-weight: 600;
}
.own {
  margin-left: auto;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
  font-size: 12.5px;
  font-weight: 600;
  overflow: hidden;
  text-overflow: ellipsis;
  cursor: pointer;
}
.with {
  font-size: 12px;
  color: var(--quiet);
}
.side {
  display: flex;
  flex-direction: column;
  min-height: 0;
  border-left: 1px solid var(--rule-strong);
  background: var(--raised);
}
.parts {
  flex: 1;
  display: grid;
  align-content: start;
  gap: 16px;
  min-height: 0;
  padding: 9px 14px 12px;
  overflow-y: auto;
}
</style>
