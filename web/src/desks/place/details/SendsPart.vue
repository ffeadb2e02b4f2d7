<script setup lang="ts">
/** What the source gives to each return, tapped before or after its level, and where it stands in it. */
import { t } from "@/words";
import { Button } from "ant-design-vue";
import type { Send, Source } from "@/domain/model";
import { sideClass } from "@/domain/format";
import { useEdits } from "@/session/edits";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import ParameterField from "@/ui/ParameterField.vue";

defineProps<{ source: Source }>();
const room = useRoom();
const session = useSession();
const edits = useEdits();
const places: { value: Send["place"]; title: string }[] = [
  { value: "same", title: t("sendsPart.same") },
  { value: "opposite", title: t("sendsPart.opposite") },
  { value: "own", title: t("sendsPart.own") },
];
/** What tells a send's own place in a room besides left to right. */
const IN_ROOM = { front: "depth", height: "height", spread: "spread" } as const;
</script>

<template>
  <ul v-if="session.returns.length">
    <li v-for="one in session.returns" :key="one.id" :data-send="one.id">
      <span class="name">{{ one.name }}</span>
      <ParameterField
        live
        of="send"
        class="level"
        parameter="level"
        :value="session.send(source.id, one.id).level"
        :label="$t('sendsPart.sendOfNameToName2', { name: source.name, name2: one.name })"
        :disabled="!session.mayEdit"
        @set="edits.setSend(source.id, one.id, { level: $event })"
      />
      <select
        :value="session.send(source.id, one.id).place"
        :aria-label="$t('sendsPart.positionOfNameInName2', { name: source.name, name2: one.name })"
        :disabled="!session.mayEdit"
        @change="
          edits.setSend(source.id, one.id, {
            place: ($event.target as HTMLSelectElement).value as Send['place'],
          })
        "
      >
        <option v-for="place in places" :key="place.value" :value="place.value">{{ place.title }}</option>
      </select>
      <ParameterField
        v-if="session.send(source.id, one.id).place === 'own'"
        live
        of="send"
        class="pan"
        :class="sideClass(session.send(source.id, one.id).pan)"
        parameter="pan"
        :value="session.send(source.id, one.id).pan"
        :label="$t('sendsPart.ownPositionOfNameIn', { name: source.name, name2: one.name })"
        :disabled="!session.mayEdit"
        @set="edits.setSend(source.id, one.id, { pan: $event })"
      />
      <span v-else />
      <Button
        size="small"
        class="tap"
        :aria-pressed="session.send(source.id, one.id).pre"
        :disabled="!session.mayEdit"
        :title="
          session.send(source.id, one.id).pre
            ? $t('sendsPart.preFaderItStaysWhen')
            : $t('sendsPart.postFaderItFollowsThe')
        "
        @click="edits.setSend(source.id, one.id, { pre: !session.send(source.id, one.id).pre })"
      >
        {{ session.send(source.id, one.id).pre ? $t("sendsPart.pre") : $t("sendsPart.post") }}
      </Button>
      <div v-if="room.surround && session.send(source.id, one.id).place === 'own'" class="deep">
        <ParameterField
          v-for="(title, name) in IN_ROOM"
          :key="name"
          live
          of="send"
          :parameter="name"
          :value="session.send(source.id, one.id)[name] ?? 0"
          :label="$t('sendsPart.ownTitleOfNameIn', { title: title, name: source.name, name2: one.name })"
          :title="$t('sendsPart.ownTitle', { title: title })"
          :disabled="!session.mayEdit"
          @set="edits.setSend(source.id, one.id, { [name]: $event })"
        />
      </div>
    </li>
  </ul>
  <p v-else class="quiet">{{ $t("sendsPart.aReturnIsAnEffect") }}</p>
</template>

<style scoped>
ul {
  display: grid;
  gap: 3px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 62px minmax(0, 74px) minmax(0, 40px) minmax(46px, max-content);
  align-items: center;
  font-size: 12.5px;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.level,
.pan {
  padding: 0 3px;
  font-size: 12px;
}
select {
  height: 24px;
  padding: 0;
  border: 1px solid transparent;
  border-radius: 3px;
  background: transparent;
  font-size: 12px;
  color: var(--quiet);
}
select:hover:not(:disabled) {
  border-color: var(--rule-strong);
}
.deep {
  display: flex;
  grid-column: 3 / -1;
  gap: 4px;
}
.tap {
  justify-self: end;
  width: max-content;
  padding: 0 6px;
  font-size: 11px;
}
p {
  font-size: 12px;
}
</style>
