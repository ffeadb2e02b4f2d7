<script setup lang="ts">
/** How a part is dealt: what its events are, in which order, and what makes each place different. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed, ref } from "vue";
import SourceHead from "@/shell/details/SourceHead.vue";
import BypassPart from "@/shell/details/BypassPart.vue";
import { useDeals } from "@/session/deals";
import { useTreatment } from "@/audio/bypass";
import { useRoom } from "@/session/room";
import NumberField from "@/ui/NumberField.vue";
import ParameterField from "@/ui/ParameterField.vue";
import Slide from "@/ui/Slide.vue";
import PlaceRow from "./PlaceRow.vue";

defineProps<{ source: Source }>();
defineEmits<{ back: [] }>();
const deals = useDeals();
useTreatment("deal");
const picker = ref<HTMLInputElement>();
const count = ref(4);

const rhythm = computed(() => deals.rhythm);
const limits = computed(() => rhythm.value?.threshold ?? [0.05, 0.2, 0.95]);
const threshold = computed(() => deals.threshold || must(limits.value[1]));
const room = useRoom();
/** From the middle of all places to the farthest (%). */
const width = computed(() => {
  const pans = (deals.deal?.places ?? []).map((place) => place.pan ?? 0);
  return Math.round(50 * (Math.max(...pans) - Math.min(...pans)));
});
const locked = computed(() => !deals.mayEdit || deals.busy);
const what = computed(() => {
  const found = deals.events;
  if (!found) return "";
  const number = found.items.length;
  return found.kind === "notes"
    ? t("dealDetails.countNotes", { count: number }, number) +
        (found.name ? t("dealDetails.ofName", { name: found.name }) : "")
    : t("dealDetails.countOnsets", { count: number }, number);
});

function onFile(): void {
  const file = picker.value?.files?.[0];
  if (file) void deals.takeNotes(file, count.value);
  if (picker.value) picker.value.value = "";
}
async function begin(): Promise<void> {
  await deals.act("fresh", "", count.value);
}
</script>

<template>
  <SourceHead :source="source" />
  <Button type="link" size="small" class="back" @click="$emit('back')">{{ $t("dealDetails.pulse") }}</Button>
  <section class="events" :aria-label="$t('dealDetails.notes')">
    <h3 class="heading">{{ $t("dealDetails.notes") }}</h3>
    <p v-if="what">
      <b>{{ what }}</b>
    </p>
    <p v-else class="quiet">{{ $t("dealDetails.dealThePartSNotes") }}</p>
    <div class="row two">
      <Button size="small" :disabled="locked" @click="deals.findOnsets(threshold, count)">
        {{ deals.events?.kind === "onsets" ? $t("dealDetails.findAgain") : $t("dealDetails.findOnsets") }}
      </Button>
      <Button size="small" :disabled="locked" @click="picker?.click()">
        {{ $t("dealDetails.mIDIFile") }}
      </Button>
    </div>
    <input
      ref="picker"
      type="file"
      accept=".mid,.midi,audio/midi"
      hidden
      :aria-label="$t('dealDetails.mIDIFile2')"
      @change="onFile"
    />
    <Slide
      v-if="deals.events?.kind === 'onsets' || !deals.events"
      :title="$t('dealDetails.threshold')"
      :label="$t('dealDetails.thresholdOfOnsets')"
      :value="threshold"
      :low="must(limits[0])"
      :high="must(limits[2])"
      :step="0.01"
      :initial="limits[1]"
      :disabled="locked"
      @set="deals.events ? deals.findOnsets($event, count) : (deals.threshold = $event)"
    />
    <div v-if="!deals.deal" class="line">
      <span>{{ $t("dealDetails.places") }}</span>
      <NumberField
        class="few"
        :value="count"
        :label="$t('dealDetails.numberOfPlaces')"
        :low="2"
        :high="16"
        :step="1"
        @set="count = $event"
      />
      <Button v-if="deals.events" type="primary" size="small" :disabled="locked" @click="begin">
        {{ $t("dealDetails.dealNotes") }}
      </Button>
    </div>
  </section>

  <template v-if="deals.deal && rhythm">
    <div class="line">
      <h3 class="heading">{{ $t("dealDetails.order") }}</h3>
      <Button
        size="small"
        class="lit"
        :aria-pressed="deals.deal.on"
        :disabled="locked"
        :title="$t('dealDetails.theDealForEverybody')"
        @click="deals.set({ on: !deals.deal.on })"
      >
        {{ deals.deal.on ? $t("dealDetails.on") : $t("dealDetails.off") }}
      </Button>
    </div>
    <p v-if="source.frozen_asset" class="quiet" role="status">
      {{ $t("dealDetails.frozenUnfreezeItToChange") }}
    </p>
    <div class="orders" role="group" :aria-label="$t('dealDetails.order')">
      <Button
        v-for="order in rhythm.orders"
        :key="order.name"
        size="small"
        :aria-pressed="deals.deal.order === order.name"
        :title="order.sentence"
        :disabled="locked"
        @click="deals.set({ order: order.name })"
      >
        {{ order.title }}
      </Button>
    </div>
    <div v-if="deals.deal.order === 'shuffled'" class="line">
      <span>{{ $t("dealDetails.seed") }}</span>
      <NumberField
        class="few"
        :value="deals.deal.seed ?? 1"
        :label="$t('dealDetails.seed')"
        :low="0"
        :high="999999"
        :step="1"
        :disabled="locked"
        @set="deals.set({ seed: $event })"
      />
      <Button
        size="small"
        :disabled="locked"
        @click="deals.set({ seed: ((deals.deal.seed ?? 1) + 1) % 999999 })"
      >
        {{ $t("dealDetails.newSeed") }}
      </Button>
    </div>

    <div class="line">
      <h3 class="heading">{{ $t("dealDetails.sound") }}</h3>
      <span role="group" :aria-label="$t('dealDetails.sound')">
        <Button
          v-for="(sentence, name) in rhythm.sounds"
          :key="name"
          size="small"
          :aria-pressed="deals.deal.sound === name"
          :title="
            name === 'voice' && deals.events?.kind !== 'notes'
              ? $t('dealDetails.theBuiltInVoiceNeeds')
              : sentence
          "
          :disabled="locked || (name === 'voice' && deals.events?.kind !== 'notes')"
          @click="deals.set({ sound: name })"
        >
          {{ name === "stem" ? $t("dealDetails.stem") : $t("dealDetails.builtInVoice") }}
        </Button>
      </span>
    </div>
    <label v-if="deals.deal.sound === 'voice'" class="line">
      <span>{{ $t("dealDetails.playedAs") }}</span>
      <select
        :value="deals.deal.timbre"
        :aria-label="$t('dealDetails.timbre')"
        :disabled="locked"
        @change="deals.set({ timbre: ($event.target as HTMLSelectElement).value })"
      >
        <option v-for="(title, name) in rhythm.timbres" :key="name" :value="name">{{ title }}</option>
      </select>
    </label>
    <div class="line">
      <span :title="$t('dealDetails.thePartAtItsOwn')">{{ $t("dealDetails.drySignal") }}</span>
      <ParameterField
        class="few"
        parameter="level"
        :value="deals.deal.dry ?? -96"
        :label="$t('dealDetails.levelOfTheDrySignal')"
        :disabled="locked"
        @set="deals.set({ dry: $event })"
      />
    </div>

    <div class="line acts">
      <h3 class="heading">
        {{ $t("dealDetails.placeCountPlaces", { placeCount: deals.deal.places?.length }) }}
      </h3>
      <span>
        <Button
          size="small"
          :disabled="locked || must(deals.deal.places).length >= 16"
          :aria-label="$t('dealDetails.addAPlace')"
          @click="deals.act('add')"
        >
          +
        </Button>
        <Button
          size="small"
          :disabled="locked"
          :title="$t('dealDetails.spaceThePlacesEvenlyOver')"
          @click="deals.act('spread')"
        >
          {{ $t("dealDetails.spaceEvenly") }}
        </Button>
        <Button
          size="small"
          :disabled="locked"
          :title="$t('dealDetails.swapLeftAndRight')"
          @click="deals.act('mirror')"
        >
          {{ $t("dealDetails.mirror") }}
        </Button>
        <Button
          size="small"
          :disabled="locked"
          :title="$t('dealDetails.reverseTheOrder')"
          @click="deals.act('reverse')"
        >
          {{ $t("dealDetails.reverse") }}
        </Button>
        <Button
          v-if="room.surround"
          size="small"
          :disabled="locked"
          :title="$t('dealDetails.evenlyRoundTheListener')"
          @click="deals.act('circle')"
        >
          {{ $t("dealDetails.circle") }}
        </Button>
      </span>
    </div>
    <label class="line wide">
      <span>{{ $t("dealDetails.width") }}</span>
      <NumberField
        class="few"
        :value="width"
        :label="$t('dealDetails.widthOfAllPlaces')"
        :low="1"
        :high="100"
        :step="5"
        unit="%"
        :initial="100"
        :disabled="locked"
        @set="deals.act('width', '', 4, $event / 100)"
      />
    </label>
    <ol class="places" :aria-label="$t('dealDetails.places2')">
      <PlaceRow
        v-for="(place, i) in deals.deal.places"
        :key="place.id"
        :place="place"
        :number="i + 1"
        :locked="locked"
      />
    </ol>
  </template>
  <BypassPart :source="source" />
</template>

<style scoped>
.back {
  margin: 4px 0;
  font-size: 12.5px;
}
.heading {
  margin-top: 6px;
  white-space: nowrap;
}
.row {
  display: grid;
  gap: 4px;
  margin: 5px 0;
}
.two {
  grid-template-columns: 1fr 1fr;
}
.two .wide {
  justify-content: center;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
  min-height: 29px;
  font-size: 13px;
}
.acts {
  flex: none;
  flex-wrap: wrap;
  gap: 3px 8px;
}
.acts .heading {
  margin: 6px 0 0;
}
.acts span {
  display: flex;
  flex-wrap: wrap;
}
.line select {
  height: 25px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.few {
  width: 64px;
  text-align: right;
}
.orders {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-bottom: 4px;
}
.places {
  margin: 2px 0 10px;
  padding: 0;
  list-style: none;
}
</style>
