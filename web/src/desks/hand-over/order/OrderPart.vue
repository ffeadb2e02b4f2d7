<script setup lang="ts">
/** What is ordered: sounds, objects, moves, the session, the report; how loud, as what, and under which names. */
import { Button, Checkbox, CheckboxGroup, Input } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
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
  { value: "wav-24", title: t("orderPart.wAV24BitDithered") },
  { value: "wav-16", title: t("orderPart.wAV16BitDithered") },
  { value: "wav-float", title: t("orderPart.wAV32BitFloatExactly") },
  { value: "flac-24", title: t("orderPart.fLAC24BitDithered") },
  { value: "flac-16", title: t("orderPart.fLAC16BitDithered") },
  { value: "rf64-24", title: t("orderPart.rF6424BitAnyLength") },
  { value: "rf64-float", title: t("orderPart.rF6432BitFloatAny") },
];
const FOLDS = computed(
  () =>
    [
      ["stereo", t("format.stereo")],
      ["mono", t("format.mono")],
      ["headphones", t("orderPart.headphones")],
    ].filter(([name]) => name !== "stereo" || room.surround) as [Order["folds"][number], string][],
);
const MOVES: [Order["moves"][number], string][] = [
  ["csv", t("orderPart.cSVTable")],
  ["json", "JSON"],
  ["midi", t("orderPart.midi7Bit")],
  ["midi-fine", t("orderPart.midi14Bit")],
];
const STEMS: [Order["stems"], string][] = [
  ["", t("orderPart.none")],
  ["sources", t("orderPart.everySourceAndReturn")],
  ["groups", t("orderPart.everyGroupReturnAndSingle")],
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
  <form class="order" :aria-label="$t('orderPart.whatToExport')" @submit.prevent="deliveries.make()">
    <h2>{{ $t("orderPart.handOver") }}</h2>
    <div class="row">
      <label for="stretch">{{ $t("orderPart.range") }}</label>
      <select id="stretch" v-model="deliveries.passage">
        <option value="">{{ $t("orderPart.theWholePiece") }}</option>
        <option v-for="one in session.passages" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
      <p class="quiet beside-field">
        {{ $t("orderPart.revisionRevisionWithEverybodyS", { revision: session.revision }) }}
      </p>
    </div>

    <fieldset>
      <legend class="heading">{{ $t("orderPart.sound") }}</legend>
      <div class="row">
        <span>{{ $t("orderPart.mix") }}</span>
        <Checkbox v-model:checked="order.mix" class="check">
          {{
            room.surround ? $t("orderPart.inItsLayoutLayout", { layout: layout }) : $t("orderPart.stereo")
          }}</Checkbox
        >
      </div>
      <div class="row">
        <span>{{ $t("orderPart.downmix") }}</span>
        <CheckboxGroup v-model:value="order.folds" class="checks">
          <Checkbox v-for="[name, title] in FOLDS" :key="name" class="check" :value="name">
            {{ title }}
          </Checkbox>
        </CheckboxGroup>
      </div>
      <div class="row">
        <label for="stems">{{ $t("orderPart.stems") }}</label>
        <select id="stems" v-model="order.stems">
          <option v-for="[value, title] in STEMS" :key="value" :value="value">{{ title }}</option>
        </select>
        <p v-if="order.stems" class="quiet beside-field">{{ $t("orderPart.eachAsItSoundsIn") }}</p>
      </div>
      <div class="row">
        <label for="format">{{ $t("orderPart.format") }}</label>
        <select id="format" v-model="order.format" :disabled="!sounds">
          <option v-for="one in FORMATS" :key="one.value" :value="one.value">{{ one.title }}</option>
        </select>
      </div>
      <div class="row">
        <label for="aim">{{ $t("orderPart.loudness") }}</label>
        <select id="aim" v-model="aim" :disabled="!sounds">
          <option value="">{{ $t("orderPart.unchanged") }}</option>
          <option v-for="one in aims" :key="one.title" :value="one.title">
            {{
              $t("orderPart.titleMinusLUFSAtMost", {
                title: one.title,
                minus: minus(one.lufs),
                minus2: minus(one.dbtp),
              })
            }}
          </option>
          <option value="own">{{ $t("orderPart.custom") }}</option>
        </select>
        <div v-if="order.loudness && sounds" class="beside-field numbers">
          <NumberField
            :label="$t('orderPart.targetLoudness')"
            :value="order.loudness.lufs"
            :low="-60"
            :high="0"
            :step="0.5"
            unit="LUFS"
            @set="must(order.loudness).lufs = $event"
          />
          <NumberField
            :label="$t('orderPart.maximumTruePeak')"
            :value="order.loudness.dbtp ?? -1"
            :low="-60"
            :high="0"
            :step="0.1"
            unit="dBTP"
            @set="must(order.loudness).dbtp = $event"
          />
          <p class="quiet">{{ $t("orderPart.byGainAloneTheSame") }}</p>
        </div>
      </div>
    </fieldset>

    <fieldset>
      <legend class="heading">{{ $t("orderPart.objectsAndAutomation") }}</legend>
      <div class="row">
        <span>{{ $t("orderPart.objects") }}</span>
        <Checkbox v-model:checked="order.adm" class="check">
          {{ $t("orderPart.aDMInBW64EverySource") }}</Checkbox
        >
      </div>
      <div class="row">
        <span>{{ $t("orderPart.automation") }}</span>
        <CheckboxGroup v-model:value="order.moves" class="checks">
          <Checkbox v-for="[name, title] in MOVES" :key="name" class="check" :value="name">
            {{ title }}
          </Checkbox>
        </CheckboxGroup>
      </div>
    </fieldset>

    <fieldset>
      <legend class="heading">{{ $t("orderPart.alsoInclude") }}</legend>
      <div class="row">
        <span>{{ $t("orderPart.balance") }}</span>
        <div class="checks">
          <Checkbox v-model:checked="order.report" class="check"> {{ $t("orderPart.report") }}</Checkbox>
          <Checkbox v-model:checked="order.chart" class="check">
            {{ $t("orderPart.chartOfTheAutomationTo") }}</Checkbox
          >
        </div>
      </div>
      <div class="row">
        <span>{{ $t("orderPart.session") }}</span>
        <Checkbox v-model:checked="order.bundle" class="check">
          {{ $t("orderPart.sessionBundleWithItsAudio") }}</Checkbox
        >
      </div>
    </fieldset>

    <fieldset>
      <legend class="heading">{{ $t("orderPart.names") }}</legend>
      <div class="row">
        <label for="pattern">{{ $t("orderPart.fileNames") }}</label>
        <Input
          id="pattern"
          v-model:value="order.pattern"
          :placeholder="deliveries.offer?.pattern"
          :maxlength="200"
          spellcheck="false"
          class="number"
        />
        <div class="beside-field words">
          <Button
            v-for="(what, word) in deliveries.offer?.words"
            :key="word"
            size="small"
            :title="what"
            @click="addWord(String(word))"
          >
            {{ word }}
          </Button>
          <Button
            v-if="deliveries.offer && order.pattern !== deliveries.offer.pattern"
            type="link"
            size="small"
            @click="order.pattern = deliveries.offer.pattern"
          >
            {{ $t("orderPart.reset") }}
          </Button>
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
      <Button type="primary" size="small" html-type="submit" :disabled="nothing || deliveries.busy">
        {{ $t("orderPart.export") }}
      </Button>
      <span class="quiet">{{
        nothing ? $t("orderPart.chooseAtLeastOneFile") : $t("orderPart.youCanGoOnWorking")
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
  grid-template-columns: minmax(74px, max-content) minmax(0, 1fr);
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
.words .ant-btn {
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
.act .ant-btn {
  height: 32px;
  padding: 0 16px;
  font-size: 14px;
}
</style>
