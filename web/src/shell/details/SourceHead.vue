<script setup lang="ts">
/** Which source the details are of: its ink, its name (to be typed over), and what its audio is. */
import { channelsText } from "@/domain/format";
import { Button } from "ant-design-vue";
import type { Source } from "@/domain/model";
import { computed } from "vue";
import { clockText } from "@/domain/grid";
import { useAlone } from "@/audio/alone";
import { operation, useEdits } from "@/session/edits";
import { useFreezing } from "@/session/freezing";
import { useSession } from "@/session/session";
import { INKS, inkOf } from "@/ui/theme";
import NameField from "@/ui/NameField.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const edits = useEdits();
const alone = useAlone();
const freezing = useFreezing();
const going = computed(() => freezing.going.get(props.source.id));
const about = computed(() => {
  const { channels, seconds } = props.source;
  const kind = channelsText(channels);
  return seconds ? `${kind} · ${clockText(seconds).slice(0, -2)}` : kind;
});

function nextInk(): void {
  edits.make(
    operation("arrange-source", { source: props.source.id, colour: (props.source.colour + 1) % INKS.length }),
  );
}
</script>

<template>
  <header>
    <button
      class="ink"
      :style="{ background: inkOf(source.colour) }"
      :disabled="!session.mayEdit"
      :aria-label="$t('sourceHead.colour')"
      :title="$t('sourceHead.anotherColour')"
      @click="nextInk"
    />
    <NameField
      :name="source.name"
      :label="$t('sourceHead.nameOfTheSource')"
      :disabled="!session.mayEdit"
      @rename="edits.make(operation('rename-source', { source: source.id, name: $event }))"
    />
    <span class="quiet">{{ about }}</span>
  </header>
  <div class="acts">
    <Button
      type="link"
      size="small"
      :title="alone.id ? $t('sourceHead.showEverything') : $t('sourceHead.isolateThisSourceOnIts')"
      @click="alone.id ? alone.close() : alone.open(source)"
    >
      {{ alone.id ? $t("sourceHead.showEverything2") : $t("sourceHead.isolate") }}
    </Button>
    <template v-if="going">
      <span class="quiet number" role="status">{{
        $t("sourceHead.freezingProgress", { progress: Math.round(going.progress * 100) })
      }}</span>
      <Button type="link" size="small" @click="freezing.stop(source)">{{ $t("sourceHead.cancel") }}</Button>
    </template>
    <Button
      v-else-if="source.frozen_asset"
      type="link"
      size="small"
      :disabled="!session.mayEdit"
      :title="$t('sourceHead.makesItEditableAgain')"
      @click="freezing.thaw(source)"
    >
      {{ $t("sourceHead.frozenUnfreeze") }}
    </Button>
    <Button
      v-else-if="session.mayEdit"
      type="link"
      size="small"
      :title="$t('sourceHead.renderItToAudioSo')"
      @click="freezing.freeze(source)"
    >
      {{ $t("sourceHead.freeze") }}
    </Button>
  </div>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 8px;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: baseline;
  margin: 1px 0 2px 17px;
  font-size: 12px;
}
.ink {
  width: 9px;
  height: 24px;
  padding: 0;
  border: 0;
  border-radius: 1px;
  cursor: pointer;
}
.quiet {
  font-size: 12px;
  white-space: nowrap;
}
</style>
