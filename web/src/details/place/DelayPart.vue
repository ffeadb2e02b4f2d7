<script setup lang="ts">
/** Placing by a difference of arrival, and what one loudspeaker makes of it. */
import { computed } from "vue";
import { decibels } from "@/geometry/pan";
import { useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import type { PlacementReading } from "@/session/reading";
import { useSession, type Source } from "@/session/session";
import Slide from "@/ui/Slide.vue";
import MonoPicture from "./MonoPicture.vue";

const props = defineProps<{ source: Source; reading: PlacementReading | null }>();
const session = useSession();
const edits = useEdits();
const library = useLibrary();

const ways = [
  { name: "off", title: "off" },
  { name: "symmetric", title: "both sides" },
  { name: "far-side", title: "far side late" },
];
const on = computed(() => props.source.delay_panning !== "off");
const limits = computed(() => library.library?.delay_panning_ms ?? [0.1, 30]);
const mono = computed(() => props.reading?.mono);
const micro = computed(() => {
  const difference = mono.value?.difference ?? 0;
  const late = difference > 0 ? "left" : "right";
  if (Math.abs(difference) < 1e-7) return "In the centre both sides arrive together.";
  return `The ${late} side comes ${(Math.abs(difference) * 1000).toFixed(3)} ms later.`;
});
const better = computed(() => {
  if (!mono.value || mono.value.better_loss - mono.value.loss < 0.02) return null;
  return mono.value;
});
</script>

<template>
  <div class="ways" role="radiogroup" aria-label="Timing">
    <button
      v-for="way in ways"
      :key="way.name"
      class="small-button"
      role="radio"
      :aria-checked="source.delay_panning === way.name"
      :aria-pressed="source.delay_panning === way.name"
      :disabled="!session.mayEdit"
      @click="edits.place(source, { delay_panning: way.name })"
    >
      {{ way.title }}
    </button>
  </div>
  <template v-if="on">
    <Slide
      title="At either end"
      label="Difference of arrival at either end"
      :value="source.delay_panning_ms"
      :low="limits[0]!"
      :high="limits[1]!"
      :step="0.01"
      :initial="0.7"
      unit="ms"
      ratio
      :disabled="!session.mayEdit"
      @set="edits.place(source, { delay_panning_ms: $event })"
    />
    <Slide
      title="And by level"
      label="Share of the place told by level"
      :value="Math.round(source.level_share * 100)"
      :low="0"
      :high="100"
      :step="1"
      :initial="0"
      unit="%"
      :disabled="!session.mayEdit"
      @set="edits.place(source, { level_share: $event / 100 })"
    />
    <p class="note">{{ micro }}</p>
    <template v-if="mono">
      <MonoPicture :mono="mono" />
      <p class="note" role="status">
        In mono this source loses <b class="number">{{ decibels(mono.loss).replace("+", "") }} dB</b>.
        <template v-if="mono.notches.length"> First gap at {{ Math.round(mono.notches[0]!) }} Hz. </template>
      </p>
      <button
        v-if="better"
        class="small-button better"
        :disabled="!session.mayEdit"
        @click="edits.place(source, { delay_panning_ms: better.better })"
      >
        Take {{ better.better.toFixed(3) }} ms: {{ decibels(better.better_loss).replace("+", "") }} dB
      </button>
      <p v-else-if="mono.difference" class="quiet note">No delay within 0.2 ms loses less.</p>
    </template>
  </template>
  <p v-else class="quiet note">
    Off: the place is told by level. A fraction of a millisecond between the sides places a sound too, at a
    price in mono that is shown here.
  </p>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 5px;
  margin-bottom: 5px;
}
.ways button {
  flex: 1;
}
.note {
  margin-top: 4px;
  font-size: 12px;
}
.better {
  margin-top: 6px;
  width: 100%;
}
</style>
