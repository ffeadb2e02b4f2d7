<script setup lang="ts">
/** What is ordered: sounds, objects, moves, the session, the report; how loud, as what, and under which names. */
import { computed } from "vue";
import { useRoom } from "@/session/room";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import NumberField from "@/ui/NumberField.vue";
import { useDeliveries, type Order } from "./deliveries";

const session = useSession();
const room = useRoom();
const deliveries = useDeliveries();
const library = useLibrary();
const order = computed(() => deliveries.order);

const FORMATS: { value: Order["format"]; title: string }[] = [
  { value: "wav-24", title: "WAV, 24 bit, dithered" },
  { value: "wav-16", title: "WAV, 16 bit, dithered" },
  { value: "wav-float", title: "WAV, 32-bit float: exactly what is heard" },
  { value: "flac-24", title: "FLAC, 24 bit, dithered" },
  { value: "flac-16", title: "FLAC, 16 bit, dithered" },
  { value: "rf64-24", title: "RF64, 24 bit: any length" },
  { value: "rf64-float", title: "RF64, 32-bit float: any length" },
];
const FOLDS = computed(
  () =>
    [
      ["stereo", "stereo"],
      ["mono", "mono"],
      ["headphones", "headphones"],
    ].filter(([name]) => name !== "stereo" || room.surround) as [Order["folds"][number], string][],
);
const MOVES: [Order["moves"][number], string][] = [
  ["csv", "CSV table"],
  ["json", "JSON"],
  ["midi", "MIDI, 7 bit"],
  ["midi-fine", "MIDI, 14 bit"],
];
const STEMS: [Order["stems"], string][] = [
  ["", "none"],
  ["sources", "every source and return"],
  ["groups", "every group, return and single source"],
];

const aims = computed(() => library.library?.targets ?? []);
const layout = computed(
  () =>
    library.library?.layouts.find((one) => one.name === session.settings?.layout)?.title.toLowerCase() ?? "",
);
/** The name of the target that is aimed at, "own" for another one, or nothing. */
const aim = computed({
  get: () => {
    const wanted = order.value.loudness;
    if (!wanted) return "";
    return aims.value.find((one) => one.lufs === wanted.lufs && one.dbtp === wanted.dbtp)?.title ?? "own";
  },
  set: (title: string) => {
    const found = aims.value.find((one) => one.title === title);
    if (!title) order.value.loudness = null;
    else order.value.loudness = found ? { lufs: found.lufs, dbtp: found.dbtp } : { lufs: -18, dbtp: -1 };
  },
});
const minus = (value: number): string => String(value).replace("-", "−");
const sounds = computed(() => order.value.mix || !!order.value.folds.length || !!order.value.stems);
const nothing = computed(() => {
  const { adm, moves, bundle, report, chart } = order.value;
  return !(sounds.value || adm || moves.length || bundle || report || chart);
});

function addWord(word: string): void {
  order.value.pattern = `${order.value.pattern} {${word}}`.trim();
}
</script>

<template>
  <form class="order" aria-label="What to hand over" @submit.prevent="deliveries.make()">
    <h2>Hand over</h2>
    <div class="row">
      <label for="stretch">What</label>
      <select id="stretch" v-model="deliveries.passage">
        <option value="">the whole piece</option>
        <option v-for="one in session.passages" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
      <p class="quiet beside-field">
        Revision {{ session.revision }}, with everybody's changes and without your own solos.
      </p>
    </div>

    <fieldset>
      <legend class="heading">Sound</legend>
      <div class="row">
        <span>Mix</span>
        <label class="check"
          ><input v-model="order.mix" type="checkbox" />
          {{ room.surround ? `in its layout, ${layout}` : "stereo" }}</label
        >
      </div>
      <div class="row">
        <span>Folded</span>
        <div class="checks">
          <label v-for="[name, title] in FOLDS" :key="name" class="check"
            ><input v-model="order.folds" type="checkbox" :value="name" /> {{ title }}</label
          >
        </div>
      </div>
      <div class="row">
        <label for="stems">Stems</label>
        <select id="stems" v-model="order.stems">
          <option v-for="[value, title] in STEMS" :key="value" :value="value">{{ title }}</option>
        </select>
        <p v-if="order.stems" class="quiet beside-field">
          Each as it sounds in the mix; together they add up to it.
        </p>
      </div>
      <div class="row">
        <label for="format">As</label>
        <select id="format" v-model="order.format" :disabled="!sounds">
          <option v-for="one in FORMATS" :key="one.value" :value="one.value">{{ one.title }}</option>
        </select>
      </div>
      <div class="row">
        <label for="aim">Loudness</label>
        <select id="aim" v-model="aim" :disabled="!sounds">
          <option value="">as it is</option>
          <option v-for="one in aims" :key="one.title" :value="one.title">
            {{ one.title }}: {{ minus(one.lufs) }} LUFS, at most {{ minus(one.dbtp) }} dBTP
          </option>
          <option value="own">another…</option>
        </select>
        <div v-if="order.loudness && sounds" class="beside-field numbers">
          <NumberField
            label="Loudness to aim for"
            :value="order.loudness.lufs"
            :low="-60"
            :high="0"
            :step="0.5"
            unit="LUFS"
            @set="order.loudness!.lufs = $event"
          />
          <NumberField
            label="True peak at most"
            :value="order.loudness.dbtp ?? -1"
            :low="-60"
            :high="0"
            :step="0.1"
            unit="dBTP"
            @set="order.loudness!.dbtp = $event"
          />
          <p class="quiet">By gain alone, the same for every file. Nothing is limited.</p>
        </div>
      </div>
    </fieldset>

    <fieldset>
      <legend class="heading">Objects and moves</legend>
      <div class="row">
        <span>Objects</span>
        <label class="check"
          ><input v-model="order.adm" type="checkbox" /> ADM in BW64: every source with its moves</label
        >
      </div>
      <div class="row">
        <span>Moves</span>
        <div class="checks">
          <label v-for="[name, title] in MOVES" :key="name" class="check"
            ><input v-model="order.moves" type="checkbox" :value="name" /> {{ title }}</label
          >
        </div>
      </div>
    </fieldset>

    <fieldset>
      <legend class="heading">With it</legend>
      <div class="row">
        <span>Balance</span>
        <div class="checks">
          <label class="check"><input v-model="order.report" type="checkbox" /> report</label>
          <label class="check"
            ><input v-model="order.chart" type="checkbox" /> the moves as a chart to print (PDF)</label
          >
        </div>
      </div>
      <div class="row">
        <span>Session</span>
        <label class="check"
          ><input v-model="order.bundle" type="checkbox" /> the session itself, with its sound (zip)</label
        >
      </div>
    </fieldset>

    <fieldset>
      <legend class="heading">Names</legend>
      <div class="row">
        <label for="pattern">Called</label>
        <input
          id="pattern"
          v-model="order.pattern"
          :placeholder="deliveries.offer?.pattern"
          maxlength="200"
          spellcheck="false"
          class="number"
        />
        <div class="beside-field words">
          <button
            v-for="(what, word) in deliveries.offer?.words"
            :key="word"
            type="button"
            class="small-button"
            :title="what"
            @click="addWord(String(word))"
          >
            {{ word }}
          </button>
          <button
            v-if="deliveries.offer && order.pattern !== deliveries.offer.pattern"
            type="button"
            class="link"
            @click="order.pattern = deliveries.offer.pattern"
          >
            as at first
          </button>
        </div>
        <p v-if="deliveries.called.trouble" class="trouble beside-field" role="status">
          {{ deliveries.called.trouble }}
        </p>
        <p v-else class="quiet beside-field example number" :title="deliveries.called.name">
          {{ deliveries.called.name }}
        </p>
      </div>
    </fieldset>

    <div class="act">
      <button class="small-button wide strong" type="submit" :disabled="nothing || deliveries.busy">
        Make the files
      </button>
      <span class="quiet">{{
        nothing ? "Choose at least one thing." : "You can go on working meanwhile."
      }}</span>
    </div>
  </form>
</template>

<style scoped>
.order {
  display: flex;
  flex-direction: column;
  gap: 14px;
  padding: 12px 16px 24px;
}
h2 {
  font-size: 13px;
  font-weight: 600;
}
fieldset {
  display: grid;
  gap: 7px;
  margin: 0;
  padding: 8px 0 0;
  border: 0;
  border-top: 1px solid var(--rule);
}
legend {
  padding: 0 8px 0 0;
}
.row {
  display: grid;
  grid-template-columns: 74px minmax(0, 1fr);
  align-items: baseline;
  gap: 4px 8px;
}
.beside-field {
  grid-column: 2;
}
p {
  font-size: 12.5px;
}
.checks,
.words,
.numbers {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
}
.words {
  gap: 4px;
}
.words .small-button {
  height: 22px;
}
.check {
  display: inline-flex;
  gap: 6px;
  align-items: baseline;
}
.check input {
  flex: none;
  translate: 0 2px;
}
select,
input:not([type="checkbox"]) {
  width: 100%;
  min-width: 0;
  height: 30px;
  padding: 0 7px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.numbers :deep(input) {
  width: 104px;
}
.example {
  overflow: hidden;
  font-size: 12px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.act {
  display: flex;
  gap: 12px;
  align-items: center;
  font-size: 12.5px;
}
.act .small-button {
  height: 32px;
  padding: 0 16px;
  font-size: 14px;
}
</style>
