<script setup lang="ts">
/** Where the source stands in the list and in time, its group, what is kept of it by name, and taking it away. */
import { Button } from "ant-design-vue";
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed, defineAsyncComponent } from "vue";
import { usePlacing } from "@/session/placing";
import { useLibrary, type Preset } from "@/session/library";
import { operation, useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import PresetPick from "@/features/presets/PresetPick.vue";
import NumberField from "@/ui/NumberField.vue";
import { say } from "@/ui/say";

// Its field comes with the first desk that has one.
const NameForm = defineAsyncComponent(() => import("@/ui/NameForm.vue"));

const props = defineProps<{ source: Source }>();
const session = useSession();
const edits = useEdits();
const library = useLibrary();
const placing = usePlacing();

const fitting = computed(() => {
  const modes = session.modes[props.source.channels] ?? [];
  return library.kept("placement").filter((preset) => modes.includes(preset.content.mode as string));
});

function join(group: string): void {
  edits.make(operation("join-group", { source: props.source.id, group }));
}

const use = (preset: Preset): void => edits.place(props.source, preset.content);

const keep = (name: string): Promise<void> =>
  library.keep("placement", name, placing.placementOf(props.source));

function remove(): void {
  placing.remove([props.source]);
  say.know(t("arrangePart.nameWasRemovedUndoOr", { name: props.source.name }));
}
</script>

<template>
  <label class="field">
    <span>{{ $t("arrangePart.startsAt") }}</span>
    <NumberField
      :value="source.start"
      :label="$t('arrangePart.startInSeconds')"
      :low="0"
      :high="86400"
      :step="0.001"
      :initial="0"
      unit="s"
      :disabled="!session.mayEdit"
      @set="edits.make(operation('arrange-source', { source: source.id, start: $event }))"
    />
  </label>
  <label class="field">
    <span>{{ $t("arrangePart.group") }}</span>
    <select
      :value="source.group"
      :aria-label="$t('arrangePart.group')"
      :disabled="!session.mayEdit"
      @change="join(($event.target as HTMLSelectElement).value)"
    >
      <option value="">{{ $t("arrangePart.noGroup") }}</option>
      <option v-for="group in session.groups" :key="group.id" :value="group.id">{{ group.name }}</option>
    </select>
  </label>
  <div class="buttons">
    <Button size="small" :disabled="!session.mayEdit" @click="placing.move(source, -1)">
      {{ $t("arrangePart.moveUp") }}
    </Button>
    <Button size="small" :disabled="!session.mayEdit" @click="placing.move(source, 1)">
      {{ $t("arrangePart.moveDown") }}
    </Button>
    <Button size="small" :disabled="!session.mayEdit" @click="placing.duplicate(source)">
      {{ $t("arrangePart.duplicate") }}
    </Button>
    <Button
      v-if="source.channels > 1"
      size="small"
      :disabled="!session.mayEdit"
      :title="$t('arrangePart.makeEachChannelAMono')"
      @click="placing.split(source)"
    >
      {{ $t("arrangePart.splitToMono") }}
    </Button>
    <Button size="small" :disabled="!session.mayEdit" @click="remove">
      {{ $t("arrangePart.remove") }}
    </Button>
  </div>
  <div class="field">
    <span>{{ $t("arrangePart.placementPresets") }}</span>
    <PresetPick
      :presets="fitting"
      :label="$t('arrangePart.applyAPlacementPreset')"
      :disabled="!session.mayEdit"
      @use="use"
    />
  </div>
  <NameForm
    :placeholder="$t('arrangePart.savePreset')"
    :label="$t('arrangePart.nameOfThePreset')"
    @keep="keep"
  />
</template>

<style scoped>
.field {
  display: grid;
  grid-template-columns: 1fr 110px;
  align-items: center;
  gap: 6px;
  min-height: 28px;
  font-size: 13px;
}
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin: 5px 0;
}
select {
  width: 100%;
  height: 25px;
  padding: 0 5px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 12.5px;
}
</style>
