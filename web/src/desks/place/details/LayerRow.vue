<script setup lang="ts">
/** One layer: what it takes, its effects, its place, its level; muted for all, soloed for oneself. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import type { Layer, Parameter, Source } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import EffectPart from "./EffectPart.vue";
import { depthText, levelText, panText } from "@/domain/format";
import { freshId, operation, useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import NameField from "@/ui/NameField.vue";
import ParameterField from "@/ui/ParameterField.vue";

const props = defineProps<{ source: Source; layer: Layer; first: boolean; open: boolean }>();
defineEmits<{ toggle: [] }>();
const session = useSession();
const player = usePlayer();
const edits = useEdits();
const library = useLibrary();
const room = useRoom();

const owner = computed(() => `layer:${props.layer.id}`);
const value = (parameter: Parameter): number => session.valueNow(owner.value, parameter);
const solo = computed(() => player.solo.includes(`${props.source.id}.${props.layer.id}`));
const where = computed(() => {
  const across = value("pan") ? ` ${panText(value("pan"))}` : "";
  return `${room.surround ? depthText(value("front")) : ""}${across}, ${levelText(value("level"))}`;
});
const rows = computed<{ parameter: Parameter; title: string }[]>(() => [
  { parameter: "level", title: t("layerRow.level") },
  { parameter: "pan", title: t("layerRow.across") },
  { parameter: "span", title: t("layerRow.apart") },
  ...(room.surround
    ? ([
        { parameter: "front", title: t("layerRow.frontBack") },
        { parameter: "height", title: t("layerRow.height") },
        { parameter: "spread", title: t("layerRow.spread") },
        { parameter: "rotation", title: t("layerRow.rotation") },
      ] as const)
    : []),
]);
const effects = computed(() => props.layer.effects ?? []);
type Effect = NonNullable<Layer["effects"]>[number];
const arrange = (list: Layer["effects"]): void => edits.setLayer(props.layer, { effects: list });
const changed = (index: number, values: Partial<Effect>): Effect[] =>
  effects.value.map((one, i) => (i === index ? { ...one, ...values } : one));
const change = (index: number, values: Partial<Effect>): void => arrange(changed(index, values));
function setEffect(index: number, settings: Record<string, number | string>): void {
  const effect = must(effects.value[index]);
  const list = changed(index, { settings: { ...effect.settings, ...settings } });
  const setting = operation("set-layer", { layer: props.layer.id, effects: list });
  edits.setEffect(owner.value, effect.id, settings, setting);
}
function move(index: number, by: number): void {
  const list = [...effects.value];
  const [one] = list.splice(index, 1);
  list.splice(index + by, 0, must(one));
  arrange(list);
}
function addEffect(event: Event): void {
  const select = event.target as HTMLSelectElement;
  arrange([...effects.value, { id: freshId(select.value), kind: select.value, on: true, settings: {} }]);
  select.value = "";
}
</script>

<template>
  <article class="layer" :aria-label="$t('layerRow.layerName', { name: layer.name })">
    <header>
      <button class="name" :aria-expanded="open" @click="$emit('toggle')">
        <b>{{ layer.name }}</b> <span class="quiet">{{ where }}</span>
      </button>
      <Button
        size="small"
        :aria-pressed="session.shown(`${owner}.muted`, layer.muted ?? false)"
        :disabled="!session.mayEdit"
        :aria-label="$t('layerRow.muteName', { name: layer.name })"
        @click="edits.setLayer(layer, { muted: !layer.muted })"
      >
        M
      </Button>
      <Button
        size="small"
        :aria-pressed="solo"
        :aria-label="$t('layerRow.soloName', { name: layer.name })"
        :title="$t('layerRow.onlyForYouSeveralMay')"
        @click="player.soloOnly(`${source.id}.${layer.id}`, true)"
      >
        S
      </Button>
    </header>
    <div v-if="open" class="body">
      <NameField
        :name="layer.name"
        :label="$t('layerRow.nameOfTheLayer')"
        :disabled="!session.mayEdit"
        @rename="edits.setLayer(layer, { name: $event })"
      />
      <label class="takes">
        <span class="quiet">{{ $t("layerRow.input") }}</span>
        <select
          :value="`${layer.input} ${layer.pre}`"
          :disabled="!session.mayEdit"
          :aria-label="$t('layerRow.inputOfTheLayer')"
          @change="
            edits.setLayer(layer, {
              input: ($event.target as HTMLSelectElement).value.split(' ')[0] as 'source' | 'previous',
              pre: ($event.target as HTMLSelectElement).value.endsWith('true'),
            })
          "
        >
          <option value="source false">{{ $t("layerRow.sourcePostFader") }}</option>
          <option value="source true">{{ $t("layerRow.sourcePreFader") }}</option>
          <option value="previous false" :disabled="first">{{ $t("layerRow.layerAbovePostFader") }}</option>
          <option value="previous true" :disabled="first">{{ $t("layerRow.layerAbovePreFader") }}</option>
        </select>
      </label>
      <dl>
        <template v-for="row in rows" :key="row.parameter">
          <dt>{{ row.title }}</dt>
          <dd>
            <ParameterField
              live
              of="layer"
              :parameter="row.parameter"
              :value="value(row.parameter)"
              :label="`${layer.name}: ${row.title}`"
              :disabled="!session.mayEdit"
              @set="edits.setLayer(layer, { [row.parameter]: $event })"
            />
          </dd>
        </template>
      </dl>
      <EffectPart
        v-for="(effect, i) in effects"
        :key="effect.id"
        :effect="effect"
        :owner="owner"
        :first="i === 0"
        :last="i === effects.length - 1"
        @set="setEffect(i, $event)"
        @on="change(i, { on: $event })"
        @move="move(i, $event)"
        @remove="arrange(effects.filter((one) => one.id !== effect.id))"
      />
      <div class="end">
        <select v-if="session.mayEdit" :aria-label="$t('layerRow.addAnEffectToThe')" @change="addEffect">
          <option value="">{{ $t("layerRow.effect") }}</option>
          <option v-for="one in library.library?.effects" :key="one.name" :value="one.name">
            {{ one.title }}
          </option>
        </select>
        <Button
          type="link"
          size="small"
          :disabled="!session.mayEdit"
          @click="edits.make(operation('remove-layer', { source: source.id, layer: layer.id }))"
        >
          {{ $t("layerRow.removeLayer") }}
        </Button>
      </div>
    </div>
  </article>
</template>

<style scoped>
.layer {
  margin-bottom: 4px;
  background: var(--raised);
  border: 1px solid var(--rule);
  border-radius: 3px;
  font-size: 13px;
}
header {
  display: grid;
  grid-template-columns: 1fr 26px 26px;
  gap: 6px;
  align-items: center;
  padding: 4px 8px;
}
.name {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
  cursor: pointer;
}
.name .quiet {
  white-space: nowrap;
  font-size: 12px;
}
.body {
  display: grid;
  gap: 6px;
  padding: 4px 8px 8px;
  border-top: 1px solid var(--rule);
}
.takes {
  display: flex;
  gap: 6px;
  align-items: center;
}
select {
  flex: 1;
  min-width: 0;
  height: 25px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: none;
}
dl {
  display: grid;
  grid-template-columns: 1fr 96px;
  align-items: center;
  gap: 1px 6px;
  margin: 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
.end {
  display: flex;
  gap: 12px;
  align-items: center;
}
</style>
