<script setup lang="ts">
/** The counterweight: who may give way, the least change that evens the stretch, heard as B, applied or not. */
import { Button, Checkbox } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed, ref } from "vue";
import { decibels, leanText } from "@/domain/format";
import { useLean } from "@/audio/lean";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import EarMark from "@/ui/EarMark.vue";
import NumberField from "@/ui/NumberField.vue";
import { useCounterweight } from "./counterweight";
import { useStretch } from "@/desks/balance/overview/stretch";

const session = useSession();
const player = usePlayer();
const monitor = useMonitor();
const chosen = useStretch();
const weight = useCounterweight();
const lean = useLean();
const choosing = ref(false);

const nameOf = (id: string): string => session.document?.sources[id]?.name ?? id;
const names = computed(() => [...weight.givers.keys()].map(nameOf).join(", "));

/** −2.3 dB, 12 to the left */
function changeText(change: { source: string; level: number; place: number }): string {
  const parts = [
    change.level ? `${decibels(change.level)} dB` : "",
    change.place
      ? t("counterweightPart.placeToTheChange", {
          place: Math.round(Math.abs(change.place) * 100),
          change: change.place < 0 ? "left" : "right",
        })
      : "",
  ].filter(Boolean);
  return `${nameOf(change.source)} ${parts.join(", ")}`;
}
const result = computed(() => {
  const found = weight.found;
  if (!found) return "";
  const worst = t("counterweightPart.worstBecomes", {
    before: leanText(found.before),
    after: leanText(found.after),
  });
  if (!found.changes.length) return t("counterweightPart.noChangeOfTheseSources");
  if (found.reached)
    return t("counterweightPart.changeTextWorstWithinTolerance", {
      changeText: found.changes.map(changeText).join("; "),
      worst: worst,
    });
  return t("counterweightPart.changeTextWorstNotWithinTolerance", {
    changeText: found.changes.map(changeText).join("; "),
    worst: worst,
  });
});
const usable = computed(() => !!weight.found?.changes.length && !weight.stale);
const hearing = computed(() => player.trial !== null);
</script>

<template>
  <section :aria-label="$t('counterweightPart.counterweight')">
    <h3 class="heading">{{ $t("counterweightPart.counterweight") }}</h3>
    <p v-if="!chosen.leaning.length && !weight.found" class="quiet">
      {{
        lean.lean ? $t("counterweightPart.theMixStaysWithinThe") : $t("counterweightPart.measuringThePiece")
      }}
    </p>
    <p v-else-if="!weight.found && weight.done >= 1">
      <template v-if="names"
        >{{ $t("counterweightPart.sourcesToAdjustNames", { names: names }) }}
        <Button type="link" size="small" :aria-expanded="choosing" @click="choosing = !choosing">
          {{ $t("counterweightPart.sourcesToAdjust") }}
        </Button></template
      >
      <template v-else
        ><Button type="link" size="small" :aria-expanded="choosing" @click="choosing = !choosing">
          {{ $t("counterweightPart.chooseSourcesToAdjust") }}
        </Button></template
      >
    </p>
    <div v-if="choosing && !weight.found" class="givers">
      <div v-for="source in session.sources" :key="source.id" class="giver">
        <Checkbox
          :checked="weight.givers.has(source.id)"
          @change="weight.setGiver(source.id, weight.givers.has(source.id) ? null : { ...weight.usual })"
        >
          {{ source.name }}</Checkbox
        >
        <template v-if="weight.givers.get(source.id)">
          <NumberField
            :value="must(weight.givers.get(source.id)).level"
            :label="$t('counterweightPart.nameLargestLevelChange', { name: source.name })"
            :low="0"
            :high="12"
            :step="0.5"
            unit="dB"
            :initial="weight.usual.level"
            @set="weight.setGiver(source.id, { ...must(weight.givers.get(source.id)), level: $event })"
          />
          <NumberField
            :value="Math.round(must(weight.givers.get(source.id)).place * 100)"
            :label="$t('counterweightPart.nameLargestPositionChange', { name: source.name })"
            :low="0"
            :high="100"
            :step="5"
            unit="%"
            :initial="Math.round(weight.usual.place * 100)"
            @set="weight.setGiver(source.id, { ...must(weight.givers.get(source.id)), place: $event / 100 })"
          />
        </template>
      </div>
      <Button v-if="weight.own" type="link" size="small" @click="weight.leaveToCauses()">
        {{ $t("counterweightPart.mainCauses") }}
      </Button>
    </div>
    <p v-if="weight.trouble" role="alert">{{ weight.trouble }}</p>
    <p v-if="weight.done < 1" role="status">
      {{ $t("counterweightPart.workingItOutDone", { done: Math.round(weight.done * 100) }) }}
    </p>
    <p v-if="weight.found" role="status" :class="{ quiet: weight.stale }">
      {{ result
      }}<template v-if="weight.stale"> {{ $t("counterweightPart.theMixHasChangedSince") }}</template>
    </p>
    <div class="buttons">
      <Button v-if="weight.done < 1" size="small" @click="weight.stop()">
        {{ $t("counterweightPart.cancel") }}
      </Button>
      <template v-else-if="!weight.found || weight.stale">
        <Button
          type="primary"
          size="small"
          :disabled="!weight.givers.size || !chosen.leaning.length"
          @click="weight.workOut(false)"
        >
          {{ $t("counterweightPart.calculate") }}
        </Button>
        <Button
          v-if="chosen.leaning.length > 1"
          size="small"
          :disabled="!weight.givers.size"
          :title="$t('counterweightPart.correctEveryLeanOverTolerance')"
          @click="weight.workOut(true)"
        >
          {{ $t("counterweightPart.forTheWholePiece") }}
        </Button>
      </template>
      <template v-else>
        <Button
          v-if="usable"
          size="small"
          class="lit"
          :aria-pressed="hearing"
          :title="$t('counterweightPart.compareBWithAAt')"
          @click="monitor.compare(!hearing)"
        >
          <EarMark /> {{ hearing ? $t("counterweightPart.comparingB") : $t("counterweightPart.compareB") }}
        </Button>
        <Button v-if="usable && session.mayEdit" type="primary" size="small" @click="weight.apply()">
          {{ $t("counterweightPart.apply") }}
        </Button>
        <Button size="small" @click="weight.stop()">
          {{ usable ? $t("counterweightPart.dismiss") : $t("counterweightPart.calculateAgain") }}
        </Button>
      </template>
    </div>
  </section>
</template>

<style scoped>
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 7px;
}
.lit[aria-pressed="true"] :deep(.ear) {
  stroke: var(--ink);
}
.givers {
  display: grid;
  gap: 2px;
  max-height: 190px;
  margin-top: 5px;
  padding: 4px 6px;
  overflow-y: auto;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
}
.giver {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 62px 54px;
  gap: 4px;
  align-items: center;
  min-height: 24px;
}
.giver label {
  display: flex;
  gap: 6px;
  white-space: nowrap;
  overflow: hidden;
}
</style>
