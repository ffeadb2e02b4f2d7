<script setup lang="ts">
/** What happens to a source's sides before it is placed: width, swap, polarity. */
import { Button } from "ant-design-vue";
import type { Source } from "@/domain/model";
import { useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import Slide from "@/ui/Slide.vue";

defineProps<{ source: Source }>();
const session = useSession();
const player = usePlayer();
const edits = useEdits();
</script>

<template>
  <Slide
    v-if="source.channels === 2"
    live
    :title="$t('priorPart.width')"
    :value="Math.round(session.valueAt(source, 'width', player.playhead) * 100)"
    :low="0"
    :high="200"
    :step="1"
    :initial="100"
    unit="%"
    :disabled="!session.mayEdit"
    @set="edits.setValue(source, 'width', $event / 100, player.playhead)"
  />
  <div class="switches" role="group" :aria-label="$t('priorPart.sides')">
    <Button
      v-if="source.channels === 2"
      size="small"
      :aria-pressed="source.swap_channels"
      :disabled="!session.mayEdit"
      :title="$t('priorPart.theLeftChannelPlaysRight')"
      @click="edits.place(source, { swap_channels: !source.swap_channels })"
    >
      {{ $t("priorPart.swapLR") }}
    </Button>
    <Button
      v-if="source.channels <= 2"
      size="small"
      :aria-pressed="source.invert_left"
      :disabled="!session.mayEdit"
      :title="$t('priorPart.invertsThePolarity')"
      @click="edits.place(source, { invert_left: !source.invert_left })"
    >
      {{ $t("priorPart.invertSource", { source: source.channels === 2 ? " L" : "" }) }}
    </Button>
    <Button
      v-if="source.channels === 2"
      size="small"
      :aria-pressed="source.invert_right"
      :disabled="!session.mayEdit"
      :title="$t('priorPart.invertsThePolarityOfThe')"
      @click="edits.place(source, { invert_right: !source.invert_right })"
    >
      {{ $t("priorPart.invertR") }}
    </Button>
  </div>
  <p v-if="source.channels === 2" class="quiet">{{ $t("priorPart.n0IsMono100As") }}</p>
</template>

<style scoped>
.switches {
  display: flex;
  gap: 5px;
  margin: 5px 0;
}
.switches button {
  flex: 1;
  white-space: nowrap;
}
p {
  font-size: 12px;
}
</style>
