<script setup lang="ts">
/** A group: its level and mute for all its members, the shift of their places, and hearing it alone. */
import { useSelection } from "@/session/selection";
import type { Group, Source } from "@/domain/model";
import { computed } from "vue";
import { sideClass } from "@/domain/format";
import { operation, useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { useStops } from "./roving";
import MuteSolo from "./MuteSolo.vue";
import ParameterField from "@/ui/ParameterField.vue";
import NameField from "@/ui/NameField.vue";

const props = defineProps<{ group: Group; members: Source[]; isCollapsed: boolean }>();
defineEmits<{ toggle: [] }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const edits = useEdits();

const thing = (field: string): string => `group:${props.group.id}.${field}`;
const level = computed(() => session.valueNow(`group:${props.group.id}`, "level"));
const shift = computed(() => session.shown(thing("shift"), props.group.shift));
const muted = computed(() => session.shown(thing("muted"), props.group.muted));
const ids = computed(() => props.members.map((one) => one.id));
const stop = useStops(() => `group:${props.group.id}`);
const soloed = computed(() => ids.value.every((id) => player.solo.includes(id)));
</script>

<template>
  <li class="group" :data-group="group.id" :data-item="`group:${group.id}`">
    <button
      class="fold"
      data-stop="name"
      :tabindex="stop('name')"
      :aria-expanded="!isCollapsed"
      :aria-label="$t('groupRow.showTheSourcesOfName', { name: group.name })"
      :title="isCollapsed ? $t('groupRow.showItsSources') : $t('groupRow.hideItsSources')"
      @click="$emit('toggle')"
    >
      <svg width="9" height="9" aria-hidden="true">
        <path :d="isCollapsed ? 'M2.5 1 6.500 4.500 2.500 8' : 'M1 2.500 4.500 6.500 8 2.500'" />
      </svg>
    </button>
    <button
      class="all"
      data-stop="all"
      :tabindex="stop('all')"
      :title="$t('groupRow.selectAllOfName', { name: group.name })"
      :aria-label="$t('groupRow.selectAllOfName', { name: group.name })"
      @click="selection.chooseThese(ids)"
    >
      <svg width="12" height="12" aria-hidden="true">
        <path d="M3.500 1H1v10h2.500M8.500 1H11v10H8.500" />
      </svg>
    </button>
    <NameField
      data-stop="title"
      :tabindex="stop('title')"
      class="name"
      :name="group.name"
      :label="$t('groupRow.nameOfTheGroup')"
      :disabled="!session.mayEdit"
      @rename="edits.setGroup(group, { name: $event })"
    />
    <ParameterField
      live
      class="shift"
      data-stop="position"
      :tabindex="stop('position')"
      :class="sideClass(shift)"
      parameter="pan"
      :value="shift"
      :label="$t('groupRow.shiftOfName', { name: group.name })"
      :title="$t('groupRow.shiftsThePositionsOfAll', { name: group.name })"
      :disabled="!session.mayEdit"
      @set="edits.setGroup(group, { shift: $event })"
    />
    <ParameterField
      live
      class="level"
      data-stop="level"
      :tabindex="stop('level')"
      parameter="level"
      :value="level"
      :label="$t('groupRow.levelOfTheGroupName', { name: group.name })"
      :disabled="!session.mayEdit"
      @set="edits.setGroup(group, { level: $event })"
    />
    <MuteSolo
      :stop="stop"
      :name="group.name"
      :muted="muted"
      :soloed="soloed"
      :disabled="!session.mayEdit"
      @mute="edits.setGroup(group, { muted: !muted })"
      @solo="player.soloThese(ids)"
    />
    <button
      v-if="session.mayEdit"
      class="apart"
      data-stop="apart"
      :tabindex="stop('apart')"
      :title="$t('groupRow.ungroupItsSourcesStay')"
      :aria-label="$t('groupRow.ungroupName', { name: group.name })"
      @click="edits.make(operation('remove-group', { group: group.id }))"
    >
      ×
    </button>
  </li>
</template>

<style scoped>
.group {
  display: flex;
  align-items: center;
  gap: 3px;
  padding: 2px 7px 2px 2px;
}
.all,
.fold,
.apart {
  padding: 2px;
  border: 0;
  background: none;
  color: var(--quiet);
  cursor: pointer;
}
.apart {
  width: 0;
  margin-left: -5px;
  overflow: hidden;
  opacity: 0;
}
.group:hover .apart,
.apart:focus-visible {
  width: auto;
  margin: 0;
  opacity: 1;
}
svg {
  display: block;
  fill: none;
  stroke: var(--quiet);
  stroke-width: 1.4;
}
.name {
  height: 22px;
  padding: 0 2px;
  font-size: 12px;
}
.level,
.shift {
  flex: none;
  width: 40px;
  height: 20px;
  padding: 0 2px;
  font-size: 11px;
  text-align: right;
}
.shift {
  width: 27px;
}
</style>
