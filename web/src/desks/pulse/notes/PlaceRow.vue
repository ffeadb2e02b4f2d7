<script setup lang="ts">
/** One place of a deal: where it is, how strong and how bright, alone for oneself, and what it makes of its notes. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import { computed } from "vue";
import { useDeals, type DealPlace } from "@/session/deals";
import { FACES } from "@/domain/parameters";
import { useRoom } from "@/session/room";
import NumberField from "@/ui/NumberField.vue";
import ParameterField from "@/ui/ParameterField.vue";
import Slide from "@/ui/Slide.vue";

const props = defineProps<{ place: DealPlace; number: number; locked: boolean }>();
const deals = useDeals();
const room = useRoom();
const open = computed(() => deals.place === props.place.id);
const voiced = computed(() => deals.deal?.sound === "voice");
const soloed = computed(() => deals.isSoloed(props.place.id));
const few = computed(() => (deals.deal?.places?.length ?? 0) <= 2);
/** The place as it stands, or as a hand holds it. */
const shown = computed(() => deals.shownPlace(props.place));
const set = (values: Partial<Omit<DealPlace, "id">>): void => deals.setPlace(props.place.id, values);
const limit = (name: string): { low: number; high: number } => must(must(deals.rhythm).place_limits[name]);
const OPEN_HZ = 20_000;
const WHERE = ["front", "height"] as const;
const isOwn = (name: (typeof WHERE)[number]): boolean => typeof shown.value[name] === "number";
</script>

<template>
  <li :class="{ open }">
    <div class="top">
      <button
        class="which"
        :aria-expanded="open"
        :aria-label="$t('placeRow.placeNumber', { number: number })"
        @click="deals.place = open ? '' : place.id"
      >
        {{ number }}
      </button>
      <ParameterField
        live
        class="field"
        parameter="pan"
        :value="shown.pan ?? 0"
        :label="$t('placeRow.wherePlaceNumberIs', { number: number })"
        :disabled="locked"
        @set="set({ pan: $event })"
      />
      <ParameterField
        live
        class="field"
        parameter="level"
        :value="shown.level ?? 0"
        :label="$t('placeRow.levelOfPlaceNumber', { number: number })"
        :disabled="locked"
        @set="set({ level: $event })"
      />
      <Button
        size="small"
        class="lit"
        :aria-pressed="soloed"
        :aria-label="$t('placeRow.soloPlaceNumberOnlyFor', { number: number })"
        :title="$t('placeRow.soloOnlyForYou')"
        @click="deals.solo(place.id)"
      >
        S
      </Button>
    </div>
    <div v-if="open" class="more">
      <Slide
        live
        :title="$t('placeRow.lowPassHz')"
        :label="$t('placeRow.lowPassOfPlaceNumber', { number: number })"
        :value="shown.low_pass || OPEN_HZ"
        :low="100"
        :high="OPEN_HZ"
        :step="10"
        ratio
        :initial="OPEN_HZ"
        :disabled="locked"
        @set="set({ low_pass: $event >= OPEN_HZ ? 0 : $event })"
      />
      <Slide
        live
        :title="$t('placeRow.length')"
        :label="
          $t(voiced ? 'placeRow.lengthOfNotesAtPlace' : 'placeRow.lengthOfSlicesAtPlace', { number: number })
        "
        :value="shown.length ?? 1"
        :low="limit('length').low"
        :high="limit('length').high"
        :step="0.05"
        unit="×"
        ratio
        :initial="1"
        :disabled="locked"
        @set="set({ length: $event })"
      />
      <Slide
        live
        :title="$t('placeRow.transpose')"
        :label="$t('placeRow.transpositionOfPlaceNumber', { number: number })"
        :value="shown.transpose ?? 0"
        :low="-36"
        :high="36"
        :step="1"
        unit="st"
        :initial="0"
        :disabled="locked"
        @set="set({ transpose: $event })"
      />
      <div class="line">
        <span>{{ $t("placeRow.repeats") }}</span>
        <NumberField
          class="few"
          :value="place.repeats ?? 1"
          :label="$t('placeRow.numberOfRepeatsAtPlace', { number: number })"
          :low="1"
          :high="16"
          :step="1"
          unit="×"
          :disabled="locked"
          @set="set({ repeats: $event })"
        />
        <template v-if="(place.repeats ?? 1) > 1">
          <span>{{ $t("placeRow.every") }}</span>
          <NumberField
            live
            class="few"
            :value="shown.repeat_interval ?? 0.5"
            :label="$t('placeRow.beatsBetweenRepeatsAtPlace', { number: number })"
            :low="0.0625"
            :high="16"
            :step="0.0625"
            unit="b"
            :disabled="locked"
            @set="set({ repeat_interval: $event })"
          />
          <span>−</span>
          <NumberField
            live
            class="few"
            :value="shown.fade ?? 3"
            :label="$t('placeRow.levelStepOfEachRepeat', { number: number })"
            :low="0"
            :high="24"
            :step="0.5"
            unit="dB"
            :disabled="locked"
            @set="set({ fade: $event })"
          />
        </template>
      </div>
      <Slide
        v-if="!voiced"
        live
        :title="$t('placeRow.release')"
        :label="$t('placeRow.releaseOfSlicesAtPlace', { number: number })"
        :value="(shown.release ?? 0) * 1000"
        :low="0"
        :high="limit('release').high * 1000"
        :step="10"
        unit="ms"
        :initial="0"
        :disabled="locked"
        @set="set({ release: $event / 1000 })"
      />
      <div v-if="room.surround" class="line">
        <template v-for="name in WHERE" :key="name">
          <span>{{ FACES[name].title }}</span>
          <ParameterField
            live
            class="few"
            :parameter="name"
            :value="shown[name] ?? deals.source?.[name] ?? 0"
            :label="$t('placeRow.whereInTheRoom', { what: FACES[name].title, number: number })"
            :disabled="locked"
            @set="set({ [name]: $event })"
          />
        </template>
        <Button
          v-if="WHERE.some((name) => isOwn(name))"
          type="link"
          size="small"
          :disabled="locked"
          @click="set({ front: null, height: null })"
        >
          {{ $t("placeRow.asTheSource") }}
        </Button>
      </div>
      <div class="acts">
        <Button size="small" :disabled="locked" @click="deals.act('duplicate', place.id)">
          {{ $t("placeRow.duplicate") }}
        </Button>
        <Button
          size="small"
          :disabled="locked || few"
          :title="few ? 'A part is dealt to two places at least' : ''"
          @click="deals.act('remove', place.id)"
        >
          {{ $t("placeRow.delete") }}
        </Button>
      </div>
    </div>
  </li>
</template>

<style scoped>
li {
  border-top: 1px solid var(--rule);
}
.open {
  background: var(--raised);
}
.top {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 3px 2px;
}
.which {
  width: 26px;
  height: 24px;
  padding: 0;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: none;
  font-weight: 600;
  cursor: pointer;
}
.field {
  flex: 1;
  min-width: 0;
  text-align: right;
}
.more {
  padding: 0 4px 6px;
}
.line,
.acts {
  display: flex;
  gap: 5px;
  align-items: center;
  font-size: 12.5px;
}
.few {
  width: 52px;
}
.acts {
  justify-content: flex-end;
  margin-top: 4px;
}
</style>
