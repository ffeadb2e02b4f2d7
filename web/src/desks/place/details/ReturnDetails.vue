<script setup lang="ts">
/** A return: its effects in order with all their settings, its level, balance and width. */
import { useSelection } from "@/session/selection";
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import type { Return } from "@/domain/model";
import { t } from "@/words";
import { computed, defineAsyncComponent } from "vue";
import type { Operation } from "@/collab/outbox";
import { freshId, operation, batch, useEdits } from "@/session/edits";
import { useLibrary, type Preset } from "@/session/library";
import { useSession } from "@/session/session";
import { inkOf } from "@/ui/theme";
import Fold from "@/ui/Fold.vue";
import PresetPick from "@/features/presets/PresetPick.vue";
import { useRoom } from "@/session/room";
import ParameterField from "@/ui/ParameterField.vue";
import Slide from "@/ui/Slide.vue";
import EffectPart from "./EffectPart.vue";
import NameField from "@/ui/NameField.vue";

// Its field comes with the first desk that has one.
const NameForm = defineAsyncComponent(() => import("@/ui/NameForm.vue"));

const props = defineProps<{ to: Return }>();
const session = useSession();
const edits = useEdits();
const library = useLibrary();
const selection = useSelection();
const room = useRoom();
const IN_ROOM: {
  parameter: "front" | "height" | "spread" | "rotation" | "envelopment";
  title: string;
  tip: string;
}[] = [
  { parameter: "front", title: t("returnDetails.frontBack"), tip: t("returnDetails.balanceOfFrontAndBack") },
  { parameter: "height", title: t("returnDetails.height"), tip: t("returnDetails.balanceOfTheHeightLayer") },
  { parameter: "spread", title: t("returnDetails.spread"), tip: t("returnDetails.widthOfEachOfIts") },
  {
    parameter: "rotation",
    title: t("returnDetails.rotation"),
    tip: t("returnDetails.rotatesAllItsChannelsAbout"),
  },
  {
    parameter: "envelopment",
    title: t("returnDetails.envelopment"),
    tip: t("returnDetails.shareOfTheReverbTail"),
  },
];

type Effects = Return["effects"];
const owner = computed(() => `return:${props.to.id}`);
const setEffect = (
  effect: string,
  values: { on?: boolean; settings?: Record<string, number | string> },
): void =>
  edits.setEffect(
    owner.value,
    effect,
    values.settings ?? {},
    operation("set-effect", { to: props.to.id, effect, ...values }),
  );
const arrange = (effects: Effects): void =>
  edits.make(operation("arrange-effects", { to: props.to.id, effects }) as Operation);

function add(kind: string): void {
  if (kind) arrange([...props.to.effects, { id: freshId(kind), kind, on: true, settings: {} }]);
}

function move(index: number, by: number): void {
  const effects = [...props.to.effects];
  const [moved] = effects.splice(index, 1);
  effects.splice(index + by, 0, must(moved));
  arrange(effects);
}

function remove(): void {
  edits.make(operation("remove-return", { to: props.to.id }));
  selection.chooseReturn("");
}

const kept = computed(() => library.kept("return"));

/** Another return's effects, level and place, in the place of these. */
function use(preset: Preset): void {
  const { effects, level, pan, width, spread, envelopment } = preset.content as unknown as Return;
  const fresh = effects.map((effect) => ({ ...effect, id: freshId(effect.kind) }));
  edits.make(
    batch(t("returnDetails.nameAsName2", { name: props.to.name, name2: preset.name }), [
      operation("arrange-effects", { to: props.to.id, effects: fresh }),
      operation("set-return", { to: props.to.id, level, pan, width, spread, envelopment }),
    ]),
  );
}

function keep(name: string): Promise<void> {
  const { colour, level, pan, width, spread, envelopment, effects } = props.to;
  return library.keep("return", name, {
    colour,
    level,
    muted: false,
    pan,
    width,
    spread,
    envelopment,
    effects,
  });
}
</script>

<template>
  <header>
    <span class="ink" :style="{ borderColor: inkOf(to.colour) }" />
    <NameField
      :name="to.name"
      :label="$t('returnDetails.nameOfTheReturn')"
      :disabled="!session.mayEdit"
      @rename="edits.setReturn(to, { name: $event })"
    />
    <span class="quiet">{{ $t("returnDetails.return") }}</span>
  </header>
  <div class="levels">
    <label
      >{{ $t("returnDetails.level") }}
      <ParameterField
        live
        of="return"
        parameter="level"
        :value="session.valueNow(`return:${to.id}`, 'level')"
        :label="$t('returnDetails.levelOfName', { name: to.name })"
        :disabled="!session.mayEdit"
        @set="edits.setReturn(to, { level: $event })"
    /></label>
    <label
      >{{ $t("returnDetails.balance") }}
      <ParameterField
        live
        of="return"
        parameter="pan"
        :value="session.valueNow(`return:${to.id}`, 'pan')"
        :label="$t('returnDetails.balanceOfName', { name: to.name })"
        :disabled="!session.mayEdit"
        @set="edits.setReturn(to, { pan: $event })"
    /></label>
  </div>
  <Slide
    live
    :title="$t('returnDetails.width')"
    :label="$t('returnDetails.widthOfName', { name: to.name })"
    :value="Math.round(session.valueNow(`return:${to.id}`, 'width') * 100)"
    :low="0"
    :high="200"
    :step="1"
    :initial="100"
    unit="%"
    :disabled="!session.mayEdit"
    @set="edits.setReturn(to, { width: $event / 100 })"
  />
  <div v-if="room.surround" class="levels">
    <label v-for="one in IN_ROOM" :key="one.parameter" :title="one.tip"
      >{{ one.title }}
      <ParameterField
        live
        of="return"
        :parameter="one.parameter"
        :value="session.valueNow(`return:${to.id}`, one.parameter)"
        :label="$t('returnDetails.titleOfName', { title: one.title, name: to.name })"
        :disabled="!session.mayEdit"
        @set="edits.setReturn(to, { [one.parameter]: $event })"
    /></label>
  </div>
  <h3 class="heading">{{ $t("returnDetails.effectsInOrder") }}</h3>
  <EffectPart
    v-for="(effect, index) in to.effects"
    :key="effect.id"
    :effect="effect"
    :owner="owner"
    :first="index === 0"
    :last="index === to.effects.length - 1"
    @set="setEffect(effect.id, { settings: $event })"
    @on="setEffect(effect.id, { on: $event })"
    @move="move(index, $event)"
    @remove="arrange(to.effects.filter((one) => one.id !== effect.id))"
  />
  <p v-if="!to.effects.length" class="quiet note">{{ $t("returnDetails.noEffectsYetTheSent") }}</p>
  <select
    class="add"
    value=""
    :aria-label="$t('returnDetails.addAnEffect')"
    :disabled="!session.mayEdit"
    @change="
      add(($event.target as HTMLSelectElement).value);
      ($event.target as HTMLSelectElement).value = '';
    "
  >
    <option value="">{{ $t("returnDetails.effect") }}</option>
    <option v-for="effect in library.library?.effects" :key="effect.name" :value="effect.name">
      {{ effect.title }}: {{ effect.sentence }}
    </option>
  </select>
  <Fold :title="$t('returnDetails.returnPresets')" :summary="`${kept.length}`">
    <PresetPick
      :presets="kept"
      :label="$t('returnDetails.applyAReturnPreset')"
      :disabled="!session.mayEdit"
      @use="use"
    />
    <NameForm
      :placeholder="$t('returnDetails.savePreset')"
      :label="$t('returnDetails.nameOfThePreset')"
      @keep="keep"
    />
  </Fold>
  <Button size="small" :disabled="!session.mayEdit" @click="remove">
    {{ $t("returnDetails.removeReturn") }}
  </Button>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 8px;
}
.ink {
  width: 9px;
  height: 24px;
  border: 2px solid;
}
.levels {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  margin: 8px 0 4px;
}
.levels label {
  display: grid;
  grid-template-columns: auto 1fr;
  align-items: center;
  font-size: 13px;
}
h3 {
  margin: 12px 0 5px;
}
.note {
  font-size: 12px;
}
.add {
  width: 100%;
  height: 28px;
  margin: 6px 0;
  border: 1px dashed var(--rule-strong);
  border-radius: 3px;
  background: none;
}
</style>
