<script setup lang="ts">
/** The chosen source on the Place desk: where it is, what panning means for it, and everything done on the way. */
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import { levelText, OFF_DB, percentText } from "@/domain/format";
import { usePlacementReading } from "./reading";
import { useSession } from "@/session/session";
import Fold from "@/ui/Fold.vue";
import LayersPart from "./LayersPart.vue";
import PathPart from "./PathPart.vue";
import SpeakersPart from "./SpeakersPart.vue";
import WherePart from "./WherePart.vue";
import { useRoom } from "@/session/room";
import ArrangePart from "./ArrangePart.vue";
import DoublePart from "./DoublePart.vue";
import MeaningPart from "./MeaningPart.vue";
import NowPart from "./NowPart.vue";
import PriorPart from "./PriorPart.vue";
import SendsPart from "./SendsPart.vue";
import SourceHead from "@/shell/details/SourceHead.vue";
import DelayPart from "./DelayPart.vue";
import BypassPart from "@/shell/details/BypassPart.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const reading = usePlacementReading();
const room = useRoom();
const layers = computed(() =>
  room
    .layersOf(props.source.id)
    .map((one) => one.name)
    .join(", "),
);
const routed = computed(() => {
  const own = room.routes(props.source.id);
  const count = Object.keys(own).filter(Boolean).length;
  const off = own[""]?.off?.length ?? 0;
  return [
    off ? t("placeDetails.speakersOff", { count: off }) : "",
    count ? t("placeDetails.passages", { count }, count) : "",
  ]
    .filter(Boolean)
    .join(", ");
});
/** What is read is of an earlier revision: it stays, but does not pass for the present. */
const stale = computed(() => !!reading.value && reading.value.revision !== session.revision);

const prior = computed(() => {
  const { width, swap_channels, invert_left, invert_right } = props.source;
  const said = [];
  if (width !== 1) said.push(percentText(width));
  if (swap_channels) said.push("exchanged");
  if (invert_left || invert_right) said.push("polarity");
  return said.join(", ");
});
const timing = computed(() =>
  props.source.delay_panning === "off"
    ? ""
    : t("placeDetails.delayAndLoss", {
        ms: props.source.delay_panning_ms,
        loss: reading.value?.mono.loss.toFixed(1) ?? "–",
      }).replace("-", "−"),
);
const double = computed(() =>
  props.source.double
    ? [t("placeDetails.opposite"), props.source.double_ms && `${props.source.double_ms} ms`]
        .filter(Boolean)
        .join(", ")
    : "",
);
const sends = computed(() =>
  session.returns
    .map((one) => ({ name: one.name, level: session.send(props.source.id, one.id).level }))
    .filter((one) => one.level > OFF_DB)
    .map((one) => `${one.name} ${levelText(one.level).replace(" dB", "")}`)
    .join(", "),
);
</script>

<template>
  <SourceHead :source="source" />
  <NowPart :source="source" />
  <template v-if="room.surround">
    <WherePart :source="source" />
    <Fold :title="$t('placeDetails.speakers')" :summary="routed || 'everywhere'" :changed="!!routed" open>
      <SpeakersPart :source="source" />
    </Fold>
    <Fold :title="$t('placeDetails.path')" :summary="$t('placeDetails.drawAPath')">
      <PathPart :source="source" />
    </Fold>
  </template>
  <Fold
    :title="$t('placeDetails.layers')"
    :summary="layers || $t('placeDetails.none')"
    :changed="!!layers"
    :open="room.surround"
  >
    <LayersPart :source="source" />
  </Fold>
  <Fold v-if="source.channels > 1" :title="$t('placeDetails.panMode')" :summary="source.mode" open>
    <div class="read" :class="{ stale }"><MeaningPart :source="source" :reading="reading" /></div>
  </Fold>
  <Fold :title="$t('placeDetails.input')" :summary="prior || $t('placeDetails.unchanged')" :changed="!!prior">
    <PriorPart :source="source" />
  </Fold>
  <Fold :title="$t('placeDetails.delayPanning')" :summary="timing || 'off'" :changed="!!timing">
    <div class="read" :class="{ stale }"><DelayPart :source="source" :reading="reading" /></div>
  </Fold>
  <Fold :title="$t('placeDetails.double')" :summary="double || 'off'" :changed="!!double">
    <div class="read" :class="{ stale }"><DoublePart :source="source" :reading="reading" /></div>
  </Fold>
  <Fold
    :title="$t('placeDetails.sends')"
    :summary="sends || $t('placeDetails.none')"
    :changed="!!sends"
    :open="source.channels === 1"
  >
    <SendsPart :source="source" />
  </Fold>
  <Fold
    :title="$t('placeDetails.listAndGroup')"
    :summary="session.document?.groups[source.group]?.name ?? $t('placeDetails.noGroup')"
  >
    <ArrangePart :source="source" />
  </Fold>
  <BypassPart :source="source" />
</template>

<style scoped>
.read {
  transition: opacity 0.15s;
}
.read.stale {
  opacity: 0.5;
  transition-delay: 0.2s;
}
</style>
