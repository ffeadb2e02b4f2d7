<script setup lang="ts">
/** A return in the list: press its name to look into it; its level, mute, and hearing it alone. */
import { useSelection } from "@/session/selection";
import type { Return } from "@/domain/model";
import { computed } from "vue";
import { useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import MuteSolo from "./MuteSolo.vue";
import ParameterField from "@/ui/ParameterField.vue";

const props = defineProps<{ to: Return }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const edits = useEdits();
const muted = computed(() => session.shown(`return:${props.to.id}.muted`, props.to.muted));
const level = computed(() => session.valueNow(`return:${props.to.id}`, "level"));
const soloed = computed(() => player.solo.includes(props.to.id));
</script>

<template>
  <li
    :class="{ chosen: selection.focus === 'return' && selection.layer === to.id, unheard: muted }"
    :data-return="to.id"
  >
    <span class="ink" :style="{ borderColor: inkOf(to.colour) }" />
    <button class="name" @click="selection.chooseReturn(to.id)">{{ to.name }}</button>
    <ParameterField
      live
      class="level"
      parameter="level"
      :value="level"
      :label="$t('returnRow.levelOfTheReturnName', { name: to.name })"
      :disabled="!session.mayEdit"
      @set="edits.setReturn(to, { level: $event })"
    />
    <MuteSolo
      :name="to.name"
      :muted="muted"
      :soloed="soloed"
      :disabled="!session.mayEdit"
      @mute="edits.setReturn(to, { muted: !muted })"
      @solo="player.soloOnly(to.id, $event)"
    />
  </li>
</template>

<style scoped>
li {
  display: flex;
  align-items: center;
  gap: 4px;
  padding: 2px 7px;
  border: 1px solid transparent;
  border-radius: 4px;
}
li.chosen {
  background: var(--raised);
  border-color: var(--rule-strong);
}
.ink {
  width: 4px;
  height: 20px;
  margin: 0 2px;
  border: 1.5px solid;
}
.name {
  flex: 1;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
  cursor: pointer;
}
.chosen .name {
  font-weight: 600;
}
.unheard .name {
  color: var(--quiet);
  text-decoration: line-through;
}
.level {
  width: 62px;
  height: 20px;
  padding: 0 2px;
  font-size: 11.5px;
  text-align: right;
}
</style>
