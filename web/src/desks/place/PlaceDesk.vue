<script setup lang="ts">
/** The Place desk: every source by its place and level at once, and each return as a room of its own. */
import { useSelection } from "@/session/selection";
import { t } from "@/words";
import { Button } from "ant-design-vue";
import { computed } from "vue";
import BalanceFoot from "@/shell/meters/BalanceFoot.vue";
import { useReturns } from "@/session/returns";
import { useSession } from "@/session/session";
import RoomFoot from "@/desks/place/plan/RoomFoot.vue";
import RoomPicture from "@/desks/place/plan/RoomPicture.vue";
import { useRoom } from "@/session/room";
import ParameterField from "@/ui/ParameterField.vue";
import { useEdits } from "@/session/edits";
import Field from "@/desks/place/field/Field.vue";

const props = defineProps<{ width: number; height: number }>();
defineEmits<{ bringIn: [] }>();
const session = useSession();
const selection = useSelection();
const returns = useReturns();
const room = useRoom();
const edits = useEdits();
const VIEWS = [
  { name: "line", title: t("placeDesk.line"), tip: t("placeDesk.leftToRightAndBy") },
  { name: "plan", title: t("placeDesk.plan"), tip: t("placeDesk.theRoomFromAbove") },
  { name: "side", title: t("placeDesk.side"), tip: t("placeDesk.theRoomFromTheSide") },
] as const;
/** A return's room is shown from left to right and by level. */
const picture = computed(() => room.surround && !layer.value && room.view !== "line");
const BAR = 42;
const FOOT = 100;
const rotation = computed(() => session.valueNow("room:mix", "rotation"));
const layer = computed(() => session.returns.find((one) => one.id === selection.layer));
const said = computed(() => {
  if (layer.value) return t("placeDesk.sendsToNameAndTheir", { name: layer.value.name });
  const [sources, others] = [selection.shownSources.length, session.returns.length];
  return [
    t("placeDesk.sources", { count: sources }, sources) +
      (selection.alone ? t("placeDesk.ofTheSelection") : ""),
    t("placeDesk.returns", { count: others }, others),
  ].join(" · ");
});
</script>

<template>
  <nav class="layers" :aria-label="$t('placeDesk.view')">
    <template v-if="room.surround">
      <button
        v-for="one in VIEWS"
        :key="one.name"
        class="layer"
        :title="one.tip"
        :aria-pressed="!layer && room.view === one.name"
        @click="(selection.chooseReturn(''), (room.view = one.name))"
      >
        {{ one.title }}
      </button>
      <i aria-hidden="true" />
    </template>
    <button v-else class="layer" :aria-pressed="!layer" @click="selection.chooseReturn('')">
      {{ $t("placeDesk.direct") }}
    </button>
    <button
      v-for="one in session.returns"
      :key="one.id"
      class="layer"
      :aria-pressed="layer?.id === one.id"
      @click="selection.chooseReturn(one.id)"
    >
      {{ one.name }}
    </button>
    <button v-if="session.mayEdit" class="layer more" @click="returns.add()">
      {{ $t("placeDesk.return") }}
    </button>
    <label v-if="picture" class="turn" :title="$t('placeDesk.rotatesEverythingInTheRoom')">
      {{ $t("placeDesk.rotateRoom") }}
      <ParameterField
        live
        parameter="rotation"
        :value="rotation"
        :label="$t('placeDesk.rotationOfTheWholeRoom')"
        :disabled="!session.mayEdit"
        @set="edits.setRoom({ rotation: $event })"
      />
    </label>
    <span v-else class="quiet">{{ said }}</span>
  </nav>
  <div v-if="!session.sources.length" class="start">
    <h2>{{ $t("placeDesk.importStems") }}</h2>
    <p>{{ $t("placeDesk.everySourceAppearsHereWhere") }}</p>
    <Button v-if="session.mayEdit" type="primary" @click="$emit('bringIn')">{{
      $t("placeDesk.chooseFiles")
    }}</Button>
    <p class="quiet">{{ $t("placeDesk.orDropThemAnywhereOn") }}</p>
  </div>
  <RoomPicture
    v-if="picture"
    :width="props.width"
    :height="Math.max(height - BAR - FOOT, 160)"
    :side="room.view === 'side'"
  />
  <Field v-else :width="props.width" :height="Math.max(height - BAR - FOOT, 160)" :to="layer" />
  <RoomFoot v-if="room.surround" :width="props.width" />
  <BalanceFoot v-else :width="props.width" />
</template>

<style scoped>
.start {
  position: absolute;
  top: 38%;
  left: 50%;
  display: grid;
  gap: 10px;
  justify-items: center;
  width: 340px;
  padding: 22px 26px;
  background: var(--raised);
  border: 1px solid var(--rule-strong);
  border-left: 4px solid var(--lamp);
  transform: translate(-50%, -50%);
  text-align: center;
}
.start h2 {
  font-size: 18px;
}
.layers {
  display: flex;
  align-items: center;
  gap: 5px;
  height: 42px;
  padding: 0 14px;
  background: var(--raised);
  border-bottom: 2px solid var(--heavy);
  overflow-x: auto;
  white-space: nowrap;
}
.layer {
  height: 27px;
  padding: 0 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  cursor: pointer;
}
.layer[aria-pressed="true"] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
  font-weight: 600;
}
.layer.more {
  border-style: dashed;
  color: var(--quiet);
}
.layers i {
  width: 1px;
  height: 20px;
  margin: 0 5px;
  background: var(--rule-strong);
}
.turn {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-left: auto;
  font-size: 12.5px;
  color: var(--quiet);
}
.turn :deep(input) {
  width: 64px;
}
.quiet {
  margin-left: 10px;
  font-size: 12.5px;
}
</style>
