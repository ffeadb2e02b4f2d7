<script setup lang="ts">
/** The Pulse desk: a pulse against the beats of a bar with its reading, or a part dealt out to places. */
import { Button, Checkbox } from "ant-design-vue";
import { computed } from "vue";
import { useDeals } from "@/session/deals";
import { usePulses } from "@/session/pulses";
import { useSession } from "@/session/session";
import DealChart from "@/desks/pulse/notes/DealChart.vue";
import PulseFigure from "@/desks/pulse/figure/PulseFigure.vue";
import ReadingPart from "@/desks/pulse/details/ReadingPart.vue";
import { usePulseDesk } from "@/session/pulseDesk";

const props = defineProps<{ width: number; height: number }>();
const session = useSession();
const pulses = usePulses();
const deals = useDeals();
const use = usePulseDesk();
pulses.follow();

const TOP = 34;
/** Room for the reading, which breaks into more lines on a narrow page. */
const reading = computed(() => (props.width < 520 ? 214 : 152));
const body = computed(() => Math.max(props.height - TOP, 120));
const figure = computed(() => Math.max(body.value - reading.value, 200));
const alike = computed(() => pulses.reading?.every_bar);
</script>

<template>
  <div class="tools pulse-desk" :style="{ height: `${TOP}px` }">
    <span role="group" :aria-label="$t('pulseDesk.view')">
      <Button size="small" :aria-pressed="!use.dealing" @click="use.dealing = false">
        {{ $t("pulseDesk.pulse") }}
      </Button>
      <Button size="small" :aria-pressed="use.dealing" @click="use.dealing = true">
        {{ $t("pulseDesk.deal") }}
      </Button>
    </span>
    <template v-if="!use.dealing && pulses.stored">
      <span class="quiet">{{
        alike ? $t("pulseDesk.oneBarAllAreThe") : $t("pulseDesk.barBar", { bar: pulses.bar })
      }}</span>
      <Checkbox
        v-if="!alike"
        :checked="pulses.stays !== null"
        class="quiet"
        @change="pulses.stays = pulses.stays === null ? pulses.bar : null"
      >
        {{ $t("pulseDesk.holdThisBar") }}</Checkbox
      >
    </template>
  </div>
  <template v-if="!use.dealing">
    <template v-if="pulses.stored">
      <PulseFigure :width="width" :height="figure" />
      <div :style="{ height: `${body - figure}px` }"><ReadingPart /></div>
    </template>
    <div v-else class="teach">
      <h2>
        {{ $t("pulseDesk.pulsesHasNoPulse", { pulses: pulses.source?.name ?? $t("pulseDesk.noSource") }) }}
      </h2>
      <p>{{ $t("pulseDesk.pulseRhythmicAutoPanIt") }}</p>
      <Button
        type="primary"
        size="small"
        :disabled="!pulses.mayEdit || !pulses.owner"
        @click="pulses.begin()"
      >
        {{ $t("pulseDesk.addPulse") }}
      </Button>
      <Button size="small" :disabled="!session.mayEdit" @click="use.dealing = true">
        {{ $t("pulseDesk.dealNotes") }}
      </Button>
    </div>
  </template>
  <DealChart v-else-if="deals.deal && deals.dealt.length" :width="width" :height="body" />
  <div v-else class="teach">
    <h2>{{ $t("pulseDesk.dealsHasNoDeal", { deals: deals.source?.name ?? $t("pulseDesk.noSource") }) }}</h2>
    <p>{{ $t("pulseDesk.dealSuccessiveNotesOfOne") }}</p>
    <Button
      v-if="deals.events"
      type="primary"
      size="small"
      :disabled="!deals.mayEdit || deals.busy"
      @click="deals.act('fresh')"
    >
      {{
        $t("pulseDesk.dealItsItemCountKindTo", {
          itemCount: deals.events.items.length,
          kind: deals.events.kind,
        })
      }}
    </Button>
    <Button
      v-else
      type="primary"
      size="small"
      :disabled="!deals.mayEdit || deals.busy || !deals.source"
      @click="deals.findOnsets(deals.rhythm?.threshold[1] ?? 0.2)"
    >
      {{ $t("pulseDesk.findOnsetsInTheStem") }}
    </Button>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 0 12px;
  border-bottom: 1px solid var(--rule-strong);
  background: var(--raised);
  font-size: 12.5px;
}
.tools label {
  display: flex;
  gap: 4px;
  align-items: center;
}
.teach {
  display: grid;
  gap: 12px;
  justify-items: start;
  max-width: 480px;
  margin: 12vh auto 0;
  padding: 0 20px;
}
.teach h2 {
  font-size: 19px;
}
</style>
