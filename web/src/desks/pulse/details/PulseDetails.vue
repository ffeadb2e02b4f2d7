<script setup lang="ts">
/** Everything of a pulse: its cycle, wave and sides, how deep and smooth, what it moves, and how it is kept. */
import { Button, Checkbox } from "ant-design-vue";
import { must } from "@/domain/must";
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import SourceHead from "@/shell/details/SourceHead.vue";
import BypassPart from "@/shell/details/BypassPart.vue";
import { useLibrary } from "@/session/library";
import { usePulses, valuesOf, type PulseValues } from "@/session/pulses";
import { useTreatment } from "@/audio/bypass";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import Fold from "@/ui/Fold.vue";
import NameForm from "@/ui/NameForm.vue";
import { useHeldNumber } from "@/ui/holding";
import Slide from "@/ui/Slide.vue";
import CyclePart from "./CyclePart.vue";
import FeelingList from "./FeelingList.vue";
import WavePart from "./WavePart.vue";

defineProps<{ source: Source }>();
defineEmits<{ deal: [] }>();
const session = useSession();
const room = useRoom();
const library = useLibrary();
const pulses = usePulses();
useTreatment("pulse");

const rhythm = computed(() => library.library?.rhythm);
const pulse = computed(() => must(pulses.pulse));
const on = computed(() => !!pulses.stored?.on);
const locked = computed(() => !pulses.mayEdit);

/** How far ahead the right side is, in a hand. */
const { hold, settle, drop } = useHeldNumber(
  () => pulse.value.offset,
  () => true,
  (offset) => pulses.set({ offset }),
);

const perCent = (name: "depth" | "smooth" | "duty"): number => Math.round(pulse.value[name] * 1000) / 10;

function use(values: object): void {
  pulses.set({
    ...(must(rhythm.value).at_first as PulseValues),
    ...values,
    on: true,
    origin: pulse.value.origin,
    before_conversion: undefined,
  } as PulseValues);
}
const valuesToSave = (): Record<string, unknown> => ({
  ...valuesOf(pulse.value, ["id", "before_conversion", "on", "origin"]),
});
const sides = computed(() => {
  const degrees = pulse.value.offset;
  if (degrees < 15 || degrees > 345) return "pumps";
  if (Math.abs(degrees - 180) < 15) return "pans";
  return "swirls";
});
const automated = computed(() =>
  (["depth", "period", "rate"] as const)
    .filter((name) => pulses.follows(name))
    .map((name) => t("pulseDetails.nameIsAutomated", { name: name })),
);
/** A turn goes round the listener: it takes a room of loudspeakers. */
const forms = computed(() =>
  Object.fromEntries(
    Object.entries(rhythm.value?.forms ?? {}).filter(([name]) => name !== "turn" || room.surround),
  ),
);
</script>

<template>
  <SourceHead :source="source" />
  <label v-if="pulses.owners.length > 1" class="whose">
    <span class="quiet">{{ $t("pulseDetails.pulseOf") }}</span>
    <select v-model="pulses.of" :aria-label="$t('pulseDetails.pulseOf2')">
      <option v-for="one in pulses.owners" :key="one.id" :value="one.id === source.id ? '' : one.id">
        {{ one.name }}{{ one.pulses ? " ~" : "" }}
      </option>
    </select>
  </label>
  <div v-if="!pulses.stored" class="fresh">
    <p class="quiet">{{ $t("pulseDetails.noPulseYetStartWith") }}</p>
    <Button type="primary" size="small" :disabled="locked" @click="pulses.begin()">
      {{ $t("pulseDetails.addPulse") }}
    </Button>
  </div>
  <template v-if="pulses.pulse && rhythm">
    <template v-if="pulses.stored">
      <CyclePart />
      <WavePart />

      <div class="line">
        <h3 class="heading">{{ $t("pulseDetails.sides") }}</h3>
        <b class="number">{{ Math.round(pulse.offset) }}° · {{ sides }}</b>
      </div>
      <input
        class="turn"
        type="range"
        min="0"
        max="360"
        step="1"
        :value="pulse.offset"
        :disabled="locked"
        :aria-label="$t('pulseDetails.phaseOffsetOfTheRight')"
        @input="hold(Number(($event.target as HTMLInputElement).value))"
        @change="settle"
        @pointerup="settle"
        @pointercancel="drop"
        @dblclick="pulses.set({ offset: 180 })"
      />
      <div class="turns quiet" aria-hidden="true">
        <span>{{ $t("pulseDetails.pump") }}</span><span>{{ $t("pulseDetails.swirl") }}</span
        ><span>{{ $t("pulseDetails.pan") }}</span
        ><span>{{ $t("pulseDetails.swirl") }}</span
        ><span>{{ $t("pulseDetails.pump") }}</span>
      </div>

      <Slide
        live
        :title="$t('pulseDetails.depth')"
        :value="perCent('depth')"
        :low="0"
        :high="100"
        :step="1"
        unit="%"
        :initial="100"
        :disabled="locked"
        @set="pulses.set({ depth: $event / 100 })"
      />
      <Slide
        live
        :title="$t('pulseDetails.smooth')"
        :value="perCent('smooth')"
        :low="0"
        :high="100"
        :step="1"
        unit="%"
        :initial="0"
        :disabled="locked"
        @set="pulses.set({ smooth: $event / 100 })"
      />
      <Slide
        v-if="pulse.wave === 'square'"
        live
        :title="$t('pulseDetails.duty')"
        :value="perCent('duty')"
        :low="2"
        :high="98"
        :step="1"
        unit="%"
        :initial="50"
        :disabled="locked"
        @set="pulses.set({ duty: $event / 100 })"
      />
      <Slide
        live
        :title="$t('pulseDetails.startPhase')"
        :label="$t('pulseDetails.startPhaseShareOfA')"
        :value="Math.round(pulse.start_phase * 1000) / 1000"
        :low="0"
        :high="1"
        :step="0.001"
        :initial="0"
        :disabled="locked"
        @set="pulses.set({ start_phase: $event })"
      />
      <p v-for="one in automated" :key="one" class="quiet small">
        {{ $t("pulseDetails.theOneMoveDesk", { one: one }) }}
      </p>
      <div class="line">
        <span>{{ $t("pulseDetails.flip") }}</span>
        <Button
          size="small"
          class="lit"
          :aria-pressed="pulse.flip"
          :disabled="locked"
          :title="$t('pulseDetails.flipTheWaveformF')"
          @click="pulses.set({ flip: !pulse.flip })"
        >
          {{ pulse.flip ? $t("pulseDetails.flipOn") : $t("pulseDetails.flipOff") }}
        </Button>
      </div>
      <div class="line">
        <span>{{ $t("pulseDetails.moves") }}</span>
        <span role="group" :aria-label="$t('pulseDetails.whatThePulseMoves')">
          <Button
            v-for="(sentence, name) in forms"
            :key="name"
            size="small"
            class="form"
            :aria-pressed="pulse.form === name"
            :title="sentence"
            :disabled="locked"
            @click="pulses.set({ form: name })"
          >
            {{ name }}
          </Button>
        </span>
      </div>
      <Checkbox
        v-if="pulse.form === 'level'"
        :checked="pulse.constant_power"
        :disabled="locked"
        @change="pulses.set({ constant_power: !pulse.constant_power })"
        ><span>{{ $t("pulseDetails.constantPower") }}</span></Checkbox
      >
    </template>

    <Fold v-if="pulses.stored" :title="$t('pulseDetails.presets')">
      <FeelingList :disabled="locked" @use="use" />
      <NameForm
        :placeholder="$t('pulseDetails.savePreset')"
        :label="$t('pulseDetails.nameOfThePreset')"
        @keep="library.keep('pulse', $event, valuesToSave())"
      />
    </Fold>
    <FeelingList v-else :disabled="locked" @use="use" />
    <div v-if="pulses.stored" class="row two">
      <Button
        v-if="pulses.isWritten"
        size="small"
        :disabled="locked"
        :title="$t('pulseDetails.deletesThePointsRestoresThe')"
        @click="pulses.make('as-pulse')"
      >
        {{ $t("pulseDetails.convertBackToPulse") }}
      </Button>
      <Button
        v-else
        size="small"
        :disabled="locked || !on || !pulses.isSource"
        :title="$t('pulseDetails.asPointsOfItsAutomation')"
        @click="pulses.make('as-points')"
      >
        {{ $t("pulseDetails.convertToPoints") }}
      </Button>
      <Button size="small" :disabled="locked" @click="pulses.remove()">
        {{ $t("pulseDetails.removePulse") }}
      </Button>
    </div>
  </template>
  <Button v-if="session.mayEdit" size="small" class="deal" @click="$emit('deal')">
    {{ $t("pulseDetails.dealNotes") }}
  </Button>
  <BypassPart :source="source" />
</template>

<style scoped>
.whose,
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  min-height: 28px;
  font-size: 13px;
}
.whose select {
  flex: 1;
  min-width: 0;
  height: 25px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.heading {
  margin-top: 9px;
}
.line .heading {
  margin: 0;
}
.fresh {
  display: grid;
  gap: 8px;
  justify-items: start;
  margin: 10px 0 4px;
}
.row {
  display: grid;
  gap: 4px;
  margin: 3px 0;
}
.two {
  grid-template-columns: 1fr 1fr;
}
.two .wide {
  justify-content: center;
  padding: 0 4px;
}
.turn {
  width: 100%;
  margin: 2px 0 0;
}
.turns {
  display: flex;
  justify-content: space-between;
  font-size: 11px;
}
.form {
  min-width: 62px;
}
.small {
  font-size: 12px;
}
.deal {
  flex: none;
  justify-content: center;
  width: 100%;
  margin: 8px 0 10px;
}
</style>
