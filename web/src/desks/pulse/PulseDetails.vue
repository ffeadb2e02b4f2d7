<script setup lang="ts">
/** Everything of a pulse: its cycle, wave and sides, how deep and smooth, what it moves, and how it is kept. */
import { computed } from "vue";
import { useChartView } from "@/chart/view";
import SourceHead from "@/details/place/SourceHead.vue";
import WithoutPart from "@/details/place/WithoutPart.vue";
import { useLibrary } from "@/session/library";
import { usePulses, valuesOf, type PulseValues } from "@/session/pulses";
import { useWithout } from "@/session/without";
import { useSession, type Source } from "@/session/session";
import Fold from "@/ui/Fold.vue";
import KeepForm from "@/ui/KeepForm.vue";
import NumberField from "@/ui/NumberField.vue";
import Slide from "@/ui/Slide.vue";
import FeelingList from "./FeelingList.vue";
import StepsEditor from "./StepsEditor.vue";

defineProps<{ source: Source }>();
defineEmits<{ deal: [] }>();
const session = useSession();
const library = useLibrary();
const view = useChartView();
const pulses = usePulses();
useWithout().treatment = "pulse";

const rhythm = computed(() => library.library?.rhythm);
const pulse = computed(() => pulses.pulse!);
const on = computed(() => !!pulses.stored?.on);
const locked = computed(() => !pulses.mayEdit);
const limit = (name: string): { low: number; high: number } => rhythm.value!.limits[name]!;

/** Little pictures of the waves, to be recognised by. */
const PICTURES: Record<string, string> = {
  sine: "M2 12C8 -4 16 -4 22 12S36 28 42 12",
  triangle: "M2 12L12 3L32 21L42 12",
  rising: "M2 20L40 4V20",
  falling: "M4 20V4L42 20",
  square: "M2 20V4H22V20H42",
  steps: "M2 18H10V6H20V12H30V4H42",
  chance: "M2 14H9V5H15V18H22V9H29V16H35V3H42",
};
const choices = [
  { title: "÷ 2", hint: "Half as long (−)", factor: 1 / 2 },
  { title: "× 2", hint: "Twice as long (+)", factor: 2 },
  { title: "dotted", hint: "Half as long again", factor: 3 / 2 },
  { title: "triplet", hint: "Two thirds as long", factor: 2 / 3 },
];
const perCent = (name: "depth" | "smooth" | "duty"): number => Math.round(pulse.value[name] * 1000) / 10;

function setDepth(value: number): void {
  if (pulses.follows("depth")) view.showLane({ source: pulses.owner, parameter: "pulse_depth" });
  pulses.set({ depth: value / 100 });
}
function use(values: object): void {
  pulses.set({
    ...(rhythm.value!.at_first as PulseValues),
    ...values,
    on: true,
    origin: pulse.value.origin,
    written: undefined,
  } as PulseValues);
}
const kept = (): Record<string, unknown> => ({ ...valuesOf(pulse.value, ["id", "written", "on", "origin"]) });
const sides = computed(() => {
  const degrees = pulse.value.offset;
  if (degrees < 15 || degrees > 345) return "pumps";
  if (Math.abs(degrees - 180) < 15) return "pans";
  return "swirls";
});
const automated = computed(() =>
  (["depth", "period", "rate"] as const)
    .filter((name) => pulses.follows(name))
    .map((name) => `${name} follows its line`),
);
</script>

<template>
  <SourceHead :source="source" />
  <label v-if="pulses.owners.length > 1" class="whose">
    <span class="quiet">pulse of</span>
    <select v-model="pulses.of" aria-label="What pulses">
      <option v-for="one in pulses.owners" :key="one.id" :value="one.id === source.id ? '' : one.id">
        {{ one.name }}{{ one.pulses ? " ~" : "" }}
      </option>
    </select>
  </label>
  <div v-if="!pulses.stored" class="fresh">
    <p class="quiet">
      Nothing pulses here yet. Begin with a feeling, or with a plain swing from side to side, and change it
      from there.
    </p>
    <button class="small-button wide strong" :disabled="locked" @click="pulses.begin()">Begin a pulse</button>
  </div>
  <template v-if="pulses.pulse && rhythm">
    <template v-if="pulses.stored">
      <div class="line">
        <h3 class="heading">Cycle</h3>
        <button
          class="small-button lit"
          :aria-pressed="on"
          :disabled="locked"
          title="The pulse, for everybody"
          @click="pulses.set({ on: !on })"
        >
          {{ on ? "on" : "off" }}
        </button>
      </div>
      <p v-if="pulses.frozen" class="quiet" role="status">Frozen. Thaw it to change its pulse.</p>
      <div class="cycle">
        <b class="note">{{ pulses.reading?.note || pulses.reading?.in_beats }}</b>
        <span class="quiet">
          {{ pulses.reading?.note ? pulses.reading?.in_beats : "" }}<br />{{ pulses.reading?.in_hertz }}
        </span>
        <span class="units" role="group" aria-label="The cycle is told in">
          <button
            v-for="unit in ['beats', 'hertz']"
            :key="unit"
            class="small-button"
            :aria-pressed="pulse.unit === unit"
            :disabled="locked"
            @click="pulses.set({ unit })"
          >
            {{ unit === "beats" ? "beats" : "Hz" }}
          </button>
        </span>
      </div>
      <div class="row four">
        <button
          v-for="one in choices"
          :key="one.title"
          class="small-button"
          :title="one.hint"
          :disabled="locked"
          @click="pulses.stretch(one.factor)"
        >
          {{ one.title }}
        </button>
      </div>
      <NumberField
        v-if="pulse.unit === 'beats'"
        class="exact"
        :value="pulse.period"
        label="Cycle in beats"
        :low="limit('period').low"
        :high="limit('period').high"
        :step="0.0001"
        unit="beats"
        :initial="1"
        :disabled="locked"
        @set="pulses.set({ period: $event })"
      />
      <NumberField
        v-else
        class="exact"
        :value="pulse.rate"
        label="Cycles a second"
        :low="limit('rate').low"
        :high="limit('rate').high"
        :step="0.01"
        unit="Hz"
        :initial="1"
        :disabled="locked"
        @set="pulses.set({ rate: $event })"
      />

      <h3 class="heading">Wave</h3>
      <div class="row four" role="group" aria-label="Wave">
        <button
          v-for="wave in rhythm.waves"
          :key="wave.name"
          class="wave"
          :aria-pressed="pulse.wave === wave.name"
          :title="wave.sentence"
          :disabled="locked"
          @click="pulses.set({ wave: wave.name })"
        >
          <svg width="44" height="24" aria-hidden="true"><path :d="PICTURES[wave.name]" /></svg>
          {{ wave.title }}
        </button>
      </div>
      <StepsEditor
        v-if="pulse.wave === 'steps'"
        :steps="pulse.steps"
        :limits="rhythm.steps as [number, number]"
        :disabled="locked"
        @hold="pulses.hold({ steps: $event })"
        @set="pulses.set({ steps: $event })"
      />
      <div v-if="pulse.wave === 'chance'" class="line chance">
        <NumberField
          :value="pulse.seed"
          label="Seed"
          :low="0"
          :high="limit('seed').high"
          :step="1"
          :disabled="locked"
          @set="pulses.set({ seed: $event })"
        />
        <button
          class="small-button"
          :disabled="locked"
          @click="pulses.set({ seed: (pulse.seed + 1) % limit('seed').high })"
        >
          another
        </button>
        <label
          ><input
            type="checkbox"
            :checked="pulse.glide"
            :disabled="locked"
            @change="pulses.set({ glide: !pulse.glide })"
          />
          glides</label
        >
      </div>

      <div class="line">
        <h3 class="heading">Sides</h3>
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
        aria-label="How far the right side is ahead, degrees"
        @input="pulses.hold({ offset: Number(($event.target as HTMLInputElement).value) })"
        @change="pulses.set({ offset: Number(($event.target as HTMLInputElement).value) })"
        @dblclick="pulses.set({ offset: 180 })"
      />
      <div class="turns quiet" aria-hidden="true">
        <span>pump</span><span>swirl</span><span>pan</span><span>swirl</span><span>pump</span>
      </div>

      <Slide
        title="Depth"
        :value="perCent('depth')"
        :low="0"
        :high="100"
        :step="1"
        unit="%"
        :initial="100"
        :disabled="locked"
        @set="setDepth"
      />
      <Slide
        title="Smooth"
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
        title="Duty"
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
        title="Start"
        label="Start, share of a cycle"
        :value="Math.round(pulse.start * 1000) / 1000"
        :low="0"
        :high="1"
        :step="0.001"
        :initial="0"
        :disabled="locked"
        @set="pulses.set({ start: $event })"
      />
      <p v-for="one in automated" :key="one" class="quiet small">The {{ one }} (Move desk).</p>
      <div class="line">
        <span>Flip</span>
        <button
          class="small-button lit"
          :aria-pressed="pulse.flip"
          :disabled="locked"
          title="Turn the wave over (F)"
          @click="pulses.set({ flip: !pulse.flip })"
        >
          {{ pulse.flip ? "flipped" : "as it is" }}
        </button>
      </div>
      <div class="line">
        <span>Moves</span>
        <span role="group" aria-label="What it moves">
          <button
            v-for="(sentence, name) in rhythm.forms"
            :key="name"
            class="small-button form"
            :aria-pressed="pulse.form === name"
            :title="sentence"
            :disabled="locked"
            @click="pulses.set({ form: name })"
          >
            {{ name }}
          </button>
        </span>
      </div>
      <label v-if="pulse.form === 'level'" class="line">
        <span>Even power of both sides</span>
        <input
          type="checkbox"
          :checked="pulse.even_power"
          :disabled="locked"
          @change="pulses.set({ even_power: !pulse.even_power })"
        />
      </label>
    </template>

    <Fold v-if="pulses.stored" title="By feeling">
      <FeelingList :disabled="locked" @use="use" />
      <KeepForm
        placeholder="keep this pulse as…"
        label="Name to keep the pulse by"
        @keep="library.keep('pulse', $event, kept())"
      />
    </Fold>
    <FeelingList v-else :disabled="locked" @use="use" />
    <div v-if="pulses.stored" class="row two">
      <button
        v-if="pulses.isWritten"
        class="small-button wide"
        :disabled="locked"
        title="The points go, the lines become what they were, and the pulse is on again"
        @click="pulses.make('taken-back')"
      >
        Take back to a pulse
      </button>
      <button
        v-else
        class="small-button wide"
        :disabled="locked || !on || !pulses.isSource"
        title="As points of its lines, to be edited on the Move desk"
        @click="pulses.make('written-out')"
      >
        Write out points
      </button>
      <button class="small-button wide" :disabled="locked" @click="pulses.remove()">
        Take the pulse away
      </button>
    </div>
  </template>
  <button v-if="session.mayEdit" class="small-button wide deal" @click="$emit('deal')">
    Deal this part out to places…
  </button>
  <WithoutPart :source="source" />
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
.row {
  display: grid;
  gap: 4px;
  margin: 3px 0;
}
.four {
  grid-template-columns: repeat(4, 1fr);
}
.two {
  grid-template-columns: 1fr 1fr;
}
.two .wide {
  justify-content: center;
  padding: 0 4px;
}
.exact {
  width: 130px;
  margin-left: auto;
}
.wave {
  display: grid;
  justify-items: center;
  padding: 3px 0 2px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 10.5px;
  color: var(--quiet);
  cursor: pointer;
}
.wave svg {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.6;
}
.wave[aria-pressed="true"] {
  border-color: var(--ink);
  background: var(--ink);
  color: var(--paper);
}
.chance {
  justify-content: flex-start;
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
  justify-content: center;
  width: 100%;
  margin: 8px 0 10px;
}
</style>
