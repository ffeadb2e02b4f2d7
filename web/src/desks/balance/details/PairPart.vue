<script setup lang="ts">
/** Two sources, or two sets of them, side by side over the stretch, and the trims that even them. */
import { useSelection } from "@/session/selection";
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed, ref, watch } from "vue";
import type { Schemas } from "@/api/http";
import { decibels, leanText, sideClass } from "@/domain/format";
import { operation, batch, useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import { useMeasurement } from "./measurement";
import { useStretch } from "@/desks/balance/overview/stretch";

const session = useSession();
const selection = useSelection();
const edits = useEdits();
const chosen = useStretch();
const asking = useMeasurement<Schemas["PairOut"]>("pair");

/** The two sides; chosen two by two they fill themselves. */
const sides = ref<[string[], string[]]>([[], []]);
watch(
  () => selection.all,
  (selection) => {
    if (selection.length === 2) sides.value = [[must(selection[1])], [must(selection[0])]];
  },
  { immediate: true },
);
const known = computed(() =>
  sides.value.map((side) => side.map((id) => session.sourceById(id)).filter((one): one is Source => !!one)),
);
const names = computed(() => known.value.map((side) => side.map((one) => one.name).join(" + ")));
const ready = computed(() => known.value.every((side) => side.length > 0));

const AFTER_CHANGE = 400;
let timer: ReturnType<typeof setTimeout> | undefined;
watch(
  [
    () => ready.value,
    () => names.value.join("|"),
    () => chosen.stretch.start,
    () => chosen.stretch.end,
    () => session.revision,
  ],
  ([ask, , start, end]) => {
    clearTimeout(timer);
    if (!ask || end <= start) return asking.clear();
    const [first, second] = known.value.map((side) => side.map((one) => one.id).join(","));
    const query = {
      first: must(first),
      second: must(second),
      start: start.toFixed(3),
      end: end.toFixed(3),
    };
    timer = setTimeout(() => void asking.ask(query), AFTER_CHANGE);
  },
  { immediate: true },
);

const pair = computed(() => asking.found.value?.pair ?? null);
const LOWEST = -60;
const length = (loudness: number | null): number =>
  loudness === null ? 0 : Math.max(0, Math.min(1, 1 - (loudness + 6) / (LOWEST + 6))) * 100;
const rows = computed(() => {
  const found = pair.value;
  return [found?.first, found?.second].map((side, i) => ({
    name: must(names.value[i]),
    loudness: side?.loudness ?? null,
    lean: side?.lean ?? null,
  }));
});
const sentence = computed(() => {
  const found = pair.value;
  if (!found) return "";
  if (found.difference === null) return t("pairPart.oneOfTheTwoIs");
  const [first, second] = names.value;
  if (!found.trims.length) return t("pairPart.theyAreLevelWithinA");
  const hotter = found.difference > 0 ? first : second;
  return t("pairPart.hotterIsDifferenceDBLouder", {
    hotter: hotter,
    difference: Math.abs(found.difference).toFixed(1),
  });
});

const short = (i: number): string =>
  must(known.value[i]).length === 1 ? must(names.value[i]) : i ? "second" : "first";
const trimText = (trim: number[]): string =>
  trim
    .map((by, i) => (by ? `${short(i)} ${decibels(by)}` : ""))
    .filter(Boolean)
    .join(", ");

function apply(trim: number[]): void {
  const operations = trim.flatMap((by, i) =>
    by
      ? [
          operation("shift-values", {
            sources: must(known.value[i]).map((one) => one.id),
            parameter: "level",
            by,
          }),
        ]
      : [],
  );
  edits.make(batch(`${names.value.join(" and ")} evened`, operations));
}

function take(side: number): void {
  const other = must(sides.value[1 - side]).filter((id) => !selection.all.includes(id));
  sides.value = side === 0 ? [[...selection.all], other] : [other, [...selection.all]];
}
</script>

<template>
  <section :aria-label="$t('pairPart.compareTwoSources')">
    <h3 class="heading">{{ $t("pairPart.compareTwoSources") }}</h3>
    <p v-if="!ready" class="quiet">
      {{ $t("pairPart.selectTwoSourcesCtrlClick") }}
      <Button type="link" size="small" @click="take(0)">{{ $t("pairPart.first") }}</Button>
      {{ $t("pairPart.andThe") }}
      <Button type="link" size="small" @click="take(1)">{{ $t("pairPart.second") }}</Button>
      {{
        $t("pairPart.sideNamesNames2", {
          names: names[0] ? `. First: ${names[0]}` : "",
          names2: names[1] ? `. Second: ${names[1]}` : "",
        })
      }}
    </p>
    <template v-else>
      <div v-for="(row, i) in rows" :key="i" class="side">
        <button class="name" :title="$t('pairPart.useTheSelectionForThis')" @click="take(i)">
          {{ row.name }}
        </button>
        <svg width="84" height="12" aria-hidden="true" preserveAspectRatio="none" viewBox="0 0 100 12">
          <rect
            :class="(row.lean ?? 0) < -0.05 ? 'left' : (row.lean ?? 0) > 0.05 ? 'right' : 'even'"
            y="1"
            :width="length(row.loudness)"
            height="10"
          />
        </svg>
        <span
          class="number"
          :title="$t('pairPart.soloItLeansLeanText', { leanText: leanText(row.lean) })"
          :class="sideClass(row.lean)"
          >{{ row.loudness === null ? "–" : decibels(row.loudness) }}</span
        >
      </div>
      <p v-if="asking.trouble.value" role="alert">{{ asking.trouble.value }}</p>
      <p v-else role="status">
        {{
          asking.done.value < 1
            ? $t("pairPart.measuringDone", { done: Math.round(asking.done.value * 100) })
            : sentence
        }}
      </p>
      <div v-if="pair && session.mayEdit" class="trims">
        <Button
          v-for="trim in pair.trims"
          :key="trim.join()"
          size="small"
          :disabled="asking.done.value < 1"
          @click="apply(trim)"
        >
          {{ trimText(trim) }}
        </Button>
      </div>
    </template>
  </section>
</template>

<style scoped>
.side {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 84px 48px;
  align-items: center;
  gap: 6px;
  height: 24px;
}
.side span {
  text-align: right;
  font-size: 12px;
}
.name {
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  cursor: pointer;
}
.left {
  fill: var(--left-soft);
}
.right {
  fill: var(--right-soft);
}
.even {
  fill: var(--grey);
}
.trims {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  margin-top: 5px;
}
</style>
