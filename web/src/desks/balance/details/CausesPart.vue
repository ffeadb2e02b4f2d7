<script setup lang="ts">
/** What pulls the chosen stretch to its side: every source by how much it adds, each heard alone by one press. */
import { useSelection } from "@/session/selection";
import { Button } from "ant-design-vue";
import { t } from "@/words";
import { computed, ref, watch } from "vue";
import type { Schemas } from "@/api/http";
import { leanText, sideClass } from "@/domain/format";
import { useLean } from "@/audio/lean";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import { useMeasurement } from "./measurement";
import { useCauses } from "@/audio/causes";
import { useStretch } from "@/desks/balance/overview/stretch";

const session = useSession();
const player = usePlayer();
const selection = useSelection();
const chosen = useStretch();
const causes = useCauses();
const lean = useLean();
const asking = useMeasurement<Schemas["CausesOut"]>("causes");

/** Edits in a row are answered when they rest (ms). */
const AFTER_CHANGE = 400;
let timer: ReturnType<typeof setTimeout> | undefined;
watch(
  [
    () => chosen.stretch.start,
    () => chosen.stretch.end,
    () => session.revision,
    () => lean.lean !== null && session.connected,
  ],
  ([start, end, , ready]) => {
    clearTimeout(timer);
    if (!ready || end <= start) return;
    const query = { start: start.toFixed(3), end: end.toFixed(3) };
    timer = setTimeout(() => void asking.ask(query), AFTER_CHANGE);
  },
  { immediate: true },
);
watch(asking.found, (found) => (causes.causes = found?.causes ?? []));

const here = computed(() => asking.found.value?.lean ?? chosen.stretch.mean ?? null);
const heading = computed(() => {
  if (here.value === null || Math.abs(here.value) < 0.05) return t("causesPart.eachSourceSShare");
  return t("causesPart.causesOfTheLeanTo", { here: here.value < 0 ? "left" : "right" });
});
/** Those that hardly matter are folded away. */
const SHOWN_FROM = 0.15;
const all = ref(false);
const shown = computed(() =>
  all.value ? rows.value : rows.value.filter((one) => Math.abs(one.adds) >= SHOWN_FROM),
);
const widest = computed(() => Math.max(0.5, ...causes.causes.map((one) => Math.abs(one.adds))));
const rows = computed(() =>
  causes.causes.map((one) => {
    const source = session.sourceById(one.id);
    const back = session.returns.find((other) => other.id === one.id);
    return {
      ...one,
      name: source?.name ?? back?.name ?? one.id,
      ink: source ? inkOf(source.colour) : "var(--quiet)",
      width: (Math.abs(one.adds) / widest.value) * 50,
    };
  }),
);
const told = (one: { name: string; adds: number; without: number | null; share: number }): string =>
  t("causesPart.withNameTheStretchLeans", {
    name: one.name,
    leanText: leanText(here.value),
    leanText2: leanText(one.without),
    share: Math.round(one.share * 100),
  });
</script>

<template>
  <section :aria-label="$t('causesPart.causes')">
    <h3 class="heading">{{ chosen.title }}</h3>
    <h4>
      {{ heading }} <span class="number" :class="sideClass(here)">{{ leanText(here) }}</span>
    </h4>
    <p v-if="asking.trouble.value" role="alert">{{ asking.trouble.value }}</p>
    <p v-else-if="!rows.length" class="quiet" role="status">
      {{
        asking.done.value < 1
          ? $t("causesPart.listeningToEachSourceDone", { done: Math.round(asking.done.value * 100) })
          : $t("causesPart.nothingSoundsHere")
      }}
    </p>
    <ul :class="{ stale: asking.done.value < 1 }">
      <li
        v-for="one in shown"
        :key="one.id"
        :class="{ alone: player.solo.includes(one.id) }"
        :data-cause="one.id"
        :title="told(one)"
      >
        <button class="name" @click="one.kind === 'source' && selection.choose(one.id)">
          <span class="ink" :style="{ background: one.ink }" />{{ one.name
          }}<small v-if="one.kind === 'return'"> {{ $t("causesPart.return") }}</small>
        </button>
        <svg width="80" height="12" aria-hidden="true">
          <rect
            :class="one.adds < 0 ? 'left' : 'right'"
            :x="one.adds < 0 ? 40 - one.width * 0.78 : 40"
            y="1.500"
            :width="one.width * 0.78"
            height="9"
          />
          <line x1="40" x2="40" y1="0" y2="12" />
        </svg>
        <span class="adds number" :class="sideClass(one.adds)">{{
          leanText(one.adds).replace(" dB", "")
        }}</span>
        <Button
          size="small"
          class="lit"
          :aria-pressed="player.solo.includes(one.id)"
          :aria-label="$t('causesPart.soloNameOnlyYouHear', { name: one.name })"
          :title="$t('causesPart.soloItOnlyForYou')"
          @click="player.soloOnly(one.id, $event.shiftKey)"
        >
          S
        </Button>
      </li>
    </ul>
    <Button
      v-if="shown.length < rows.length || all"
      type="link"
      size="small"
      class="more"
      @click="all = !all"
    >
      {{
        all
          ? $t("causesPart.mainCausesOnly")
          : $t("causesPart.andRowsThatHardlyMatter", { rows: rows.length - shown.length })
      }}
    </Button>
  </section>
</template>

<style scoped>
h4 {
  display: flex;
  justify-content: space-between;
  margin: 2px 0 6px;
  font-size: 15px;
  font-weight: 600;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.more {
  font-size: 12px;
}
.stale {
  opacity: 0.55;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 80px 44px 24px;
  align-items: center;
  gap: 5px;
  height: 25px;
}
li .ant-btn.ant-btn-sm {
  min-width: 0;
  height: 22px;
  padding: 0;
}
li.alone {
  background: var(--lamp-wash);
}
.name {
  display: flex;
  align-items: center;
  gap: 7px;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  cursor: pointer;
}
.ink {
  flex: none;
  width: 4px;
  height: 16px;
}
small {
  color: var(--quiet);
}
svg line {
  stroke: var(--ink);
}
.left {
  fill: var(--left-soft);
}
.right {
  fill: var(--right-soft);
}
.adds {
  text-align: right;
  font-size: 12px;
}
</style>
