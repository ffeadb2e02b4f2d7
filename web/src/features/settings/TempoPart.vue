<script setup lang="ts">
/** The tempo map: steps of tempo and changes of metre, typed, tapped, or taken from a MIDI file. */
import { must } from "@/domain/must";
import { sentence, t } from "@/words";
import { Button } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { post, postFile, type Schemas } from "@/api/http";
import { latest } from "@/api/latest";
import { useSession } from "@/session/session";
import NumberField from "@/ui/NumberField.vue";
import { say } from "@/ui/say";

const session = useSession();

type Tempos = [number, number][];
type Metres = [number, number, number][];
const tempos = ref<Tempos>([]);
const metres = ref<Metres>([]);
const notes = ref<string[]>([]);
const picker = ref<HTMLInputElement>();

function reset(): void {
  tempos.value = (session.settings?.tempos ?? []).map((step) => [...step] as [number, number]);
  metres.value = (session.settings?.metres ?? []).map((step) => [...step] as [number, number, number]);
  notes.value = [];
}
watch([() => session.settings?.tempos, () => session.settings?.metres], reset, { immediate: true });

const changed = computed(
  () =>
    JSON.stringify([tempos.value, metres.value]) !==
    JSON.stringify([session.settings?.tempos, session.settings?.metres]),
);

function addTempo(): void {
  const [beat, bpm] = must(tempos.value.at(-1));
  tempos.value.push([beat + 16, bpm]);
}

function addMetre(): void {
  const [bar, count, unit] = must(metres.value.at(-1));
  metres.value.push([bar + 4, count, unit]);
}

/** What there is of each kind that keeps with the sound or with the bars, and which it is to be. */
type Keep = Required<Schemas["Keep"]>;
const keep = ref<Keep>({ automation: "sound", passages: "bars", pulses: "bars", notes: "bars" });
const counts = computed<Record<keyof Keep, number>>(() => {
  const { lanes = {}, passages = {}, pulses = {}, events = {} } = session.document ?? {};
  return {
    automation: Object.keys(lanes).length,
    passages: Object.keys(passages).length,
    pulses: Object.keys(pulses).length,
    notes: Object.values(events).filter((one) => one.kind === "notes").length,
  };
});
const KINDS: [keyof Keep, string][] = [
  ["automation", t("tempoPart.automation")],
  ["passages", t("tempoPart.passages")],
  ["pulses", t("tempoPart.startOfPulses")],
  ["notes", t("tempoPart.dealtNotes")],
];
const kinds = computed(() => KINDS.filter(([kind]) => counts.value[kind]));
const isOtherTempo = computed(
  () => JSON.stringify(tempos.value) !== JSON.stringify(session.settings?.tempos),
);

function apply(): void {
  session.putBack("tempo", t("tempoPart.tempoBpm", { bpm: must(tempos.value[0])[1] }), {
    tempos: tempos.value,
    metres: metres.value,
    keep: keep.value,
  });
}

/** Taps on the first tempo; the core says what they make. */
const taps = ref<number[]>([]);
const PAUSE = 2.5;
const turn = latest();
async function tap(): Promise<void> {
  const isLast = turn();
  const now = performance.now() / 1000;
  const last = taps.value.at(-1);
  taps.value = last !== undefined && now - last < PAUSE ? [...taps.value.slice(-15), now] : [now];
  if (taps.value.length < 2) return;
  try {
    const found = await post<Schemas["TapTempo"]>("/api/tempo/taps", { times: taps.value });
    if (isLast()) must(tempos.value[0])[1] = found.bpm;
  } catch (error) {
    say.know((error as Error).message);
  }
}

async function fromFile(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = "";
  if (!file) return;
  try {
    const found = await postFile<Schemas["TempoOut"]>("/api/tempo/midi", file);
    tempos.value = found.tempos;
    metres.value = found.metres;
    notes.value = [t("tempoPart.readFromNameCheckIt", { name: file.name }), ...found.notes.map(sentence)];
  } catch (error) {
    say.wrong((error as Error).message);
  }
}
</script>

<template>
  <div class="part">
    <section>
      <h3 class="heading">{{ $t("tempoPart.tempo") }}</h3>
      <div v-for="(step, i) in tempos" :key="i" class="step">
        <span v-if="i === 0" class="quiet">{{ $t("tempoPart.fromTheStart") }}</span>
        <label v-else
          >{{ $t("tempoPart.fromBeat") }}
          <NumberField
            :value="step[0]"
            :label="$t('tempoPart.beatOfTempoI', { i: i + 1 })"
            :low="0.001"
            :high="1000000"
            :step="1"
            @set="step[0] = $event"
        /></label>
        <NumberField
          :value="step[1]"
          :label="$t('tempoPart.tempoI', { i: i + 1 })"
          :low="10"
          :high="400"
          :step="0.1"
          unit="bpm"
          :disabled="!session.mayEdit"
          @set="step[1] = $event"
        />
        <Button
          v-if="i"
          size="small"
          :aria-label="$t('tempoPart.deleteThisTempo')"
          @click="tempos.splice(i, 1)"
        >
          ×
        </Button>
        <Button v-else size="small" class="tap" :disabled="!session.mayEdit" @click="tap">
          {{ $t("tempoPart.tap") }}
        </Button>
      </div>
      <Button size="small" :disabled="!session.mayEdit" @click="addTempo">
        {{ $t("tempoPart.tempo2") }}
      </Button>
    </section>
    <section>
      <h3 class="heading">{{ $t("tempoPart.metre") }}</h3>
      <div v-for="(step, i) in metres" :key="i" class="step">
        <span v-if="i === 0" class="quiet">{{ $t("tempoPart.fromTheStart") }}</span>
        <label v-else
          >{{ $t("tempoPart.fromBar") }}
          <NumberField
            :value="step[0]"
            :label="$t('tempoPart.barOfMetreI', { i: i + 1 })"
            :low="2"
            :high="100000"
            :step="1"
            @set="step[0] = $event"
        /></label>
        <span class="metre">
          <NumberField
            :value="step[1]"
            :label="$t('tempoPart.beatsInABarI', { i: i + 1 })"
            :low="1"
            :high="32"
            :step="1"
            :disabled="!session.mayEdit"
            @set="step[1] = $event"
          />
          /
          <select
            v-model="step[2]"
            :aria-label="$t('tempoPart.beatUnitI', { i: i + 1 })"
            :disabled="!session.mayEdit"
          >
            <option v-for="unit in [1, 2, 4, 8, 16, 32]" :key="unit" :value="unit">{{ unit }}</option>
          </select>
        </span>
        <Button
          v-if="i"
          size="small"
          :aria-label="$t('tempoPart.deleteThisMetre')"
          @click="metres.splice(i, 1)"
        >
          ×
        </Button>
      </div>
      <Button size="small" :disabled="!session.mayEdit" @click="addMetre">
        {{ $t("tempoPart.metre2") }}
      </Button>
    </section>
    <p v-for="note in notes" :key="note" role="status">{{ note }}</p>
    <fieldset v-if="isOtherTempo && kinds.length" class="keep">
      <legend class="heading">{{ $t("tempoPart.keep") }}</legend>
      <template v-for="[kind, title] in kinds" :key="kind">
        <span
          >{{ title }} <span class="quiet number">{{ counts[kind] }}</span></span
        >
        <label v-for="way in ['sound', 'bars'] as const" :key="way">
          <input v-model="keep[kind]" type="radio" :name="`keep-${kind}`" :value="way" />
          {{ way === "sound" ? $t("tempoPart.withTheSound") : $t("tempoPart.withTheBars") }}
        </label>
      </template>
    </fieldset>
    <p class="quiet">{{ $t("tempoPart.stemsKeepTheirTimesBars") }}</p>
    <div class="buttons">
      <input
        ref="picker"
        type="file"
        accept=".mid,.midi"
        class="hidden-label"
        :aria-label="$t('tempoPart.mIDIFileWithATempo')"
        @change="fromFile"
      />
      <Button :disabled="!session.mayEdit" @click="picker?.click()">{{
        $t("tempoPart.fromAMIDIFile")
      }}</Button>
      <Button :disabled="!changed" @click="reset">{{ $t("tempoPart.reset") }}</Button>
      <Button type="primary" :disabled="!changed || !session.mayEdit" @click="apply">{{
        $t("tempoPart.apply")
      }}</Button>
    </div>
  </div>
</template>

<style scoped>
.part {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px 32px;
}
.part > p,
.keep,
.buttons {
  grid-column: 1 / -1;
}
section {
  max-height: 300px;
  overflow-y: auto;
}
.step {
  display: grid;
  grid-template-columns: 1fr 96px 40px;
  align-items: center;
  gap: 6px;
  min-height: 30px;
}
.step label {
  display: grid;
  grid-template-columns: auto 1fr;
  align-items: center;
  gap: 4px;
}
.keep {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 3px 18px;
  margin: 0;
  padding: 0;
  border: 0;
}
.keep legend {
  margin-bottom: 4px;
  padding: 0;
}
.metre {
  display: grid;
  grid-template-columns: 40px 8px 1fr;
  align-items: center;
}
select {
  height: 26px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
}
@media (max-width: 560px) {
  .part {
    grid-template-columns: 1fr;
  }
}
</style>
