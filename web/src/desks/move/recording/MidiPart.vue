<script setup lang="ts">
/** Controllers: the browser's MIDI, a small controller on the page to try it out, and which of their knobs move what. */
import { Button, Checkbox } from "ant-design-vue";
import { t } from "@/words";
import { computed, ref } from "vue";
import { FACES } from "@/domain/parameters";
import { useMidi, type Slot } from "./midi";

const midi = useMidi();
const SLOTS: Slot[] = ["first", "second"];
const open = ref(false);
const fine = ref(false);
const values = ref<Record<Slot, number>>({ first: 64, second: 64 });
const most = computed(() => (fine.value ? 16383 : 127));

function title(slot: Slot): string {
  const lane = midi.laneOf(slot);
  return lane ? FACES[lane.parameter].title : t("midiPart.none");
}

/** The small controller sends what a real one would. */
function turn(slot: Slot, event: Event): void {
  const value = Number((event.target as HTMLInputElement).value);
  values.value[slot] = value;
  const { channel, number } = midi.knobs[slot];
  const status = 0xb0 + channel;
  if (!fine.value) return midi.receive([status, number, value]);
  midi.receive([status, number, value >> 7]);
  midi.receive([status, number + 32, value & 127]);
}

function setFine(): void {
  fine.value = !fine.value;
  const bits = fine.value ? 14 : 7;
  const of = (slot: Slot) => ({ ...midi.knobs[slot], bits });
  midi.knobs = { first: of("first"), second: of("second") };
  values.value = { first: (most.value + 1) / 2, second: (most.value + 1) / 2 };
}
</script>

<template>
  <div class="midi">
    <div class="row">
      <span>{{ $t("midiPart.controller") }}</span>
      <Button
        size="small"
        :disabled="!midi.supported"
        :title="midi.supported ? $t('midiPart.useAMIDIController') : $t('midiPart.thisBrowserHasNoMIDI')"
        @click="midi.connect"
      >
        {{ midi.inputs.length ? midi.inputs.join(", ") : $t("midiPart.mIDI") }}
      </Button>
      <Button size="small" :aria-pressed="open" @click="open = !open">
        {{ $t("midiPart.virtual") }}
      </Button>
    </div>
    <p v-if="midi.trouble" class="quiet">{{ midi.trouble }}</p>
    <template v-if="open || midi.inputs.length">
      <div v-for="slot in SLOTS" :key="slot" class="row">
        <span class="quiet" :title="midi.words[slot]">{{ title(slot) }}</span>
        <input
          v-if="open"
          type="range"
          min="0"
          :max="most"
          :value="values[slot]"
          :aria-label="$t('midiPart.virtualControllerSlotKnob', { slot: slot })"
          @input="turn(slot, $event)"
        />
        <Button
          size="small"
          :aria-pressed="midi.learning === slot"
          :title="$t('midiPart.thenMoveAKnobTo')"
          @click="midi.learning = midi.learning === slot ? null : slot"
        >
          {{ $t("midiPart.learn") }}
        </Button>
      </div>
      <Checkbox v-if="open" :checked="fine" class="row" @change="setFine">
        {{ $t("midiPart.n14Bit") }}</Checkbox
      >
    </template>
  </div>
</template>

<style scoped>
.midi {
  display: flex;
  flex-direction: column;
  gap: 4px;
  font-size: 13px;
}
.row {
  display: flex;
  align-items: center;
  gap: 6px;
}
.row > span {
  flex: 1;
  min-width: 0;
}
.row > input[type="range"] {
  flex: 2;
  min-width: 0;
}
</style>
