<script setup lang="ts">
/** A copy of the source on the other side, a little later if wished, and the level that it adds taken back. */
import { Button } from "ant-design-vue";
import type { Source } from "@/domain/model";
import { computed } from "vue";
import { decibels } from "@/domain/format";
import { useEdits } from "@/session/edits";
import type { PlacementReading } from "./reading";
import { useSession } from "@/session/session";
import Slide from "@/ui/Slide.vue";

const props = defineProps<{ source: Source; reading: PlacementReading | null }>();
const session = useSession();
const edits = useEdits();
const change = computed(() => props.reading?.double_change ?? 0);
const total = computed(() => change.value + props.source.double_trim);
const evening = computed(() => props.reading?.double_evened ?? 0);
</script>

<template>
  <Button
    size="small"
    :aria-pressed="source.double"
    :disabled="!session.mayEdit"
    @click="edits.place(source, { double: !source.double })"
  >
    {{ source.double ? $t("doublePart.oppositeDouble") : $t("doublePart.doubleOnTheOppositeSide") }}
  </Button>
  <template v-if="source.double">
    <Slide
      live
      :title="$t('doublePart.delay')"
      :label="$t('doublePart.delayOfTheDouble')"
      :value="source.double_ms"
      :low="0"
      :high="50"
      :step="0.5"
      :initial="0"
      unit="ms"
      :disabled="!session.mayEdit"
      @set="edits.place(source, { double_ms: $event })"
    />
    <Slide
      live
      :title="$t('doublePart.trimBothCopies')"
      :label="$t('doublePart.trimOfBothCopies')"
      :value="source.double_trim"
      :low="-24"
      :high="12"
      :step="0.1"
      :initial="0"
      unit="dB"
      :disabled="!session.mayEdit"
      @set="edits.place(source, { double_trim: $event })"
    />
    <p class="note" role="status">
      {{ $t("doublePart.theDoubleMakesIt") }}
      <b class="number">{{ $t("doublePart.decibelsDB", { decibels: decibels(change) }) }}</b>{{
        source.double_trim ? $t("doublePart.withTheLevelLoweredBy", { decibels: decibels(total) }) : ""
      }}.
    </p>
    <Button
      v-if="reading && Math.abs(total) >= 0.1"
      size="small"
      :disabled="!session.mayEdit"
      @click="edits.place(source, { double_trim: evening })"
    >
      {{ $t("doublePart.matchTheLevelDecibelsDB", { decibels: decibels(evening) }) }}
    </Button>
  </template>
  <p v-else class="quiet note">{{ $t("doublePart.addsACopyAtThe", { decibels: decibels(change) }) }}</p>
</template>

<style scoped>
.wide {
  width: 100%;
  margin: 2px 0 4px;
}
.note {
  margin-top: 4px;
  font-size: 12px;
}
</style>
