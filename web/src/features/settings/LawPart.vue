<script setup lang="ts">
/** The pan law: its curves, and what choosing another one would do to every source where it stands. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { Button, Checkbox } from "ant-design-vue";
import { computed, ref } from "vue";
import { useAsked } from "@/api/asked";
import type { Schemas } from "@/api/http";
import { decibels } from "@/domain/format";
import { operation, useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";

const session = useSession();
const player = usePlayer();
const edits = useEdits();
const library = useLibrary();
const law = ref(session.settings?.law ?? "constant-power");
const zero = ref(session.settings?.centre_zero ?? false);

const opened = player.playhead;
const { answer: comparison, trouble } = useAsked<Schemas["LawOut"]>(
  () => {
    const query = new URLSearchParams({
      revision: String(session.revision),
      at: opened.toFixed(2),
      law: law.value,
      centre_zero: String(zero.value),
    });
    return `/api/sessions/${session.id}/law?${query}`;
  },
  { keeps: true, holds: true },
);

const changed = computed(
  () => law.value !== session.settings?.law || zero.value !== session.settings?.centre_zero,
);
const changes = computed(() =>
  (comparison.value?.changes ?? [])
    .filter((one) => Math.abs(one.change) >= 0.05)
    .sort((a, b) => Math.abs(b.change) - Math.abs(a.change))
    .flatMap((one) => {
      const source = session.document?.sources[one.source];
      return source ? [{ ...one, source }] : [];
    }),
);

const WIDTH = 270;
const HEIGHT = 130;
const [HIGHEST, LOWEST] = [7, -18];
const y = (db: number): number => ((HIGHEST - Math.max(db, LOWEST - 2)) / (HIGHEST - LOWEST)) * HEIGHT;
const curve = (values: number[], mirrored: boolean): string =>
  (mirrored ? [...values].reverse() : values)
    .map((db, i) => `${i ? "L" : "M"}${((i / (values.length - 1)) * WIDTH).toFixed(1)} ${y(db).toFixed(1)}`)
    .join("");
const sentences: Record<string, string> = {
  "constant-power": t("lawPart.equalPowerEverywhereNothingSwells"),
  compromise: t("lawPart.betweenTheTwoWhereLeft"),
  "constant-gain": t("lawPart.bothSidesAddUpTo"),
  balance: t("lawPart.theNearSideStaysFull"),
};
</script>

<template>
  <div class="part">
    <div>
      <label v-for="(title, name) in library.library?.laws" :key="name" class="law">
        <input v-model="law" type="radio" name="law" :value="name" :disabled="!session.mayEdit" /> {{ title }}
      </label>
      <Checkbox v-model:checked="zero" class="law" :disabled="!session.mayEdit">
        {{ $t("lawPart.centreAt0DB") }}</Checkbox
      >
      <p class="quiet">{{ sentences[law] }}</p>
    </div>
    <svg
      :viewBox="`-26 0 ${WIDTH + 30} ${HEIGHT + 26}`"
      role="img"
      :aria-label="$t('lawPart.theLeftAndRightGain', { law: law })"
    >
      <g v-for="db in [0, -3, -6, -12]" :key="db">
        <line x1="0" :x2="WIDTH" :y1="y(db)" :y2="y(db)" class="rule" />
        <text x="-4" :y="y(db) + 3" text-anchor="end">{{ db || "0" }}</text>
      </g>
      <line :x1="WIDTH / 2" :x2="WIDTH / 2" y1="0" :y2="HEIGHT" class="rule" />
      <template v-if="comparison">
        <path
          v-for="(values, name) in comparison.curves"
          v-show="name !== law"
          :key="name"
          class="other"
          :d="curve(values, false)"
        />
        <path class="left" :d="curve(must(comparison.curves[law]), true)" />
        <path class="right" :d="curve(must(comparison.curves[law]), false)" />
      </template>
      <text x="0" :y="HEIGHT + 22" class="side-left">L100</text>
      <text :x="WIDTH / 2" :y="HEIGHT + 22" text-anchor="middle">C</text>
      <text :x="WIDTH" :y="HEIGHT + 22" text-anchor="end" class="side-right">R100</text>
    </svg>
    <section class="changes" role="status">
      <h3 class="heading">
        {{ changed ? $t("lawPart.changesAtTheSourcesPresent") : $t("lawPart.thisIsTheSessionS") }}
      </h3>
      <p v-if="trouble" role="alert">{{ trouble }}</p>
      <p v-else-if="!comparison" class="quiet">{{ $t("lawPart.loading") }}</p>
      <p v-else-if="changed && !changes.length" class="quiet">{{ $t("lawPart.noSourceWouldChangeIts") }}</p>
      <ul v-else-if="changed">
        <li v-for="one in changes" :key="one.source.id">
          <span :style="{ background: inkOf(one.source.colour) }" />{{ one.source.name }}
          <b class="number">{{ $t("lawPart.decibelsDB", { decibels: decibels(one.change) }) }}</b>
        </li>
      </ul>
    </section>
    <div class="buttons">
      <Button
        type="primary"
        :disabled="!changed || !session.mayEdit"
        @click="edits.make(operation('set-session', { law, centre_zero: zero }))"
        >{{ $t("lawPart.useThisLaw") }}</Button
      >
    </div>
  </div>
</template>

<style scoped>
.part {
  display: grid;
  grid-template-columns: 1fr 310px;
  gap: 10px 20px;
}
.law {
  display: flex;
  gap: 8px;
  align-items: center;
  min-height: 26px;
}
.quiet {
  font-size: 13px;
}
.rule {
  stroke: var(--rule);
}
path {
  fill: none;
}
.other {
  stroke: var(--rule-strong);
  stroke-dasharray: 2 3;
}
path.left {
  stroke: var(--left);
  stroke-width: 2;
}
path.right {
  stroke: var(--right);
  stroke-width: 2;
}
text {
  font: 10px var(--mono);
  fill: var(--quiet);
}
text.side-left {
  fill: var(--left);
}
text.side-right {
  fill: var(--right);
}
.changes,
.buttons {
  grid-column: 1 / -1;
}
ul {
  columns: 3;
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 13px;
}
li b {
  margin-left: auto;
  font-weight: 500;
}
li span {
  width: 4px;
  height: 12px;
}
.buttons {
  display: flex;
  justify-content: flex-end;
}
@media (max-width: 640px) {
  .part {
    grid-template-columns: 1fr;
  }
  ul {
    columns: 1;
  }
}
</style>
