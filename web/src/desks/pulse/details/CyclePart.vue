<script setup lang="ts">
/** How long a cycle is: as a note, in beats or in Hz, halved, doubled, dotted, in triplets. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed } from "vue";
import { useLibrary } from "@/session/library";
import { usePulses } from "@/session/pulses";
import { parseBeats } from "@/domain/format";
import { useSession } from "@/session/session";
import NumberField from "@/ui/NumberField.vue";
import ValueField from "@/ui/ValueField.vue";

const library = useLibrary();
const pulses = usePulses();
const session = useSession();
const rhythm = computed(() => must(library.library).rhythm);
const pulse = computed(() => must(pulses.pulse));
const locked = computed(() => !pulses.mayEdit);
const limit = (name: string): { low: number; high: number } => must(rhythm.value.limits[name]);
const on = computed(() => !!pulses.stored?.on);
/** A whole bar (quarter-note beats). */
const bar = computed(() => {
  const [, beats, unit] = must(session.settings?.metres[0]);
  return (4 * beats) / unit;
});
const beatsText = (value: number): string => `${Number(value.toFixed(4))} beats`;
function parse(text: string): number | null {
  const { low, high } = limit("period");
  const beats = parseBeats(text, bar.value);
  return beats !== null && beats >= low && beats <= high ? Math.round(beats * 1e6) / 1e6 : null;
}
const choices = [
  { title: "÷ 2", hint: t("cyclePart.halfTheLength"), factor: 1 / 2 },
  { title: "× 2", hint: t("cyclePart.twiceTheLength"), factor: 2 },
  { title: t("cyclePart.dotted"), hint: t("cyclePart.oneAndAHalfTimes"), factor: 3 / 2 },
  { title: t("cyclePart.triplet"), hint: t("cyclePart.twoThirdsOfTheLength"), factor: 2 / 3 },
];
</script>

<template>
  <div class="line">
    <h3 class="heading">{{ $t("cyclePart.cycle") }}</h3>
    <Button
      size="small"
      class="lit"
      :aria-pressed="on"
      :disabled="locked"
      :title="$t('cyclePart.thePulseForEverybody')"
      @click="pulses.set({ on: !on })"
    >
      {{ on ? $t("cyclePart.on") : $t("cyclePart.off") }}
    </Button>
  </div>
  <p v-if="pulses.frozen" class="quiet" role="status">{{ $t("cyclePart.frozenUnfreezeItToChange") }}</p>
  <div class="cycle">
    <b class="note">{{ pulses.reading?.note || pulses.reading?.in_beats }}</b>
    <span class="quiet">
      {{ pulses.reading?.note ? pulses.reading?.in_beats : "" }}<br />{{ pulses.reading?.in_hertz }}
    </span>
    <span class="units" role="group" :aria-label="$t('cyclePart.unitOfTheCycle')">
      <Button
        v-for="unit in ['beats', 'hertz']"
        :key="unit"
        size="small"
        :aria-pressed="pulse.unit === unit"
        :disabled="locked"
        @click="pulses.set({ unit })"
      >
        {{ unit === "beats" ? $t("cyclePart.beats") : $t("cyclePart.hz") }}
      </Button>
    </span>
  </div>
  <div class="row four">
    <Button
      v-for="one in choices"
      :key="one.title"
      size="small"
      :title="one.hint"
      :disabled="locked"
      @click="pulses.stretch(one.factor)"
    >
      {{ one.title }}
    </Button>
  </div>
  <ValueField
    v-if="pulse.unit === 'beats'"
    live
    class="exact"
    :value="pulse.period"
    :label="$t('cyclePart.cycleInBeats')"
    :text="beatsText"
    :parse="parse"
    :low="limit('period').low"
    :high="limit('period').high"
    :step="0.0001"
    :big-step="1"
    :initial="1"
    :hint="$t('cyclePart.typeANote', { low: limit('period').low, high: limit('period').high })"
    :disabled="locked"
    @set="pulses.set({ period: $event })"
  />
  <NumberField
    v-else
    live
    class="exact"
    :value="pulse.rate"
    :label="$t('cyclePart.cyclesPerSecond')"
    :low="limit('rate').low"
    :high="limit('rate').high"
    :step="0.01"
    unit="Hz"
    :initial="1"
    :disabled="locked"
    @set="pulses.set({ rate: $event })"
  />
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  min-height: 28px;
  font-size: 13px;
}
.cycle {
  display: flex;
  gap: 10px;
  align-items: center;
  min-height: 38px;
}
.note {
  font-size: 22px;
  line-height: 1.1;
}
.cycle .quiet {
  font-size: 12px;
  line-height: 1.3;
}
.units {
  margin-left: auto;
  white-space: nowrap;
}
.exact {
  width: 130px;
  margin-left: auto;
}
.row {
  display: grid;
  gap: 4px;
  margin: 3px 0;
}
.four {
  grid-template-columns: repeat(4, 1fr);
}
</style>
