<script setup lang="ts">
/** What the meters of a room say in numbers: the lean to the sides and to front or back, loudness, mono loss. */
import { t } from "@/words";
import { computed } from "vue";
import { useReading } from "@/audio/reading";
import { leanText, sideClass } from "@/domain/format";

const { number, level } = useReading();
const side = computed(() => sideClass(number("lean_long")));
const lean = computed(() => leanText(number("lean_long")));
const depth = computed(() => {
  const value = number("depth_long");
  if (value === null) return "–";
  if (Math.abs(value) < 0.05) return t("format.even");
  const text = Math.abs(value).toFixed(1);
  return value > 0 ? t("roomFoot.frontDb", { db: text }) : t("roomFoot.backDb", { db: text });
});
const loudness = computed(() => level(number("momentary")));
const monoLoss = computed(() => level(number("mono_loss")));
</script>

<template>
  <dl>
    <dt>{{ $t("roomFoot.leftRight") }}</dt>
    <dd class="number" :class="side">{{ lean }}</dd>
    <dt>{{ $t("roomFoot.frontBack") }}</dt>
    <dd class="number">{{ depth }}</dd>
    <dt>{{ $t("roomFoot.loudness") }}</dt>
    <dd class="number">{{ $t("roomFoot.dbLUFS", { db: loudness }) }}</dd>
    <dt>{{ $t("roomFoot.monoDownmix") }}</dt>
    <dd class="number">{{ $t("roomFoot.dbDB", { db: monoLoss }) }}</dd>
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: auto auto;
  align-content: center;
  gap: 2px 14px;
  margin: 0 16px 0 0;
  font-size: 12.5px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
  text-align: right;
  font-weight: 600;
}
</style>
