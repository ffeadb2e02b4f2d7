<script setup lang="ts">
/** From where the source may sound, always or in one passage, and how strong each group of loudspeakers plays it. */
import { computed } from "vue";
import { levelText, OFF_DB, parseLevel } from "@/geometry/pan";
import { operation, useEdits } from "@/session/edits";
import { useRoom } from "@/session/room";
import { useSession, type Source } from "@/session/session";
import ValueField from "@/ui/ValueField.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const edits = useEdits();
const room = useRoom();

const own = computed(() => room.routes(props.source.id));
const route = computed(() => room.routeIn(props.source.id, room.passage));
const off = computed(() => new Set(route.value.off ?? []));
const ofOwn = computed(() => !room.passage || !!own.value[room.passage]);
const stem = computed(() => props.source.mode === "stem");

const names = (group: string): string[] =>
  room.speakers.filter((one) => one.group === group).map((one) => one.name);
const sounds = (group: string): boolean => names(group).some((name) => !off.value.has(name));
const level = (name: string): number => route.value.levels?.[name] ?? 0;

function toggle(group: string): void {
  room.permit(props.source, names(group), !sounds(group));
}
/** Only one group, or everything but it: two presses for the whole room. */
function only(group: string, but: boolean): void {
  const all = room.speakers.map((one) => one.name);
  const inside = names(group);
  const forbidden = all.filter((name) => inside.includes(name) === but);
  if (forbidden.length < all.length) room.setRoute(props.source, { off: forbidden });
}
function setLevel(name: string, value: number): void {
  room.setRoute(props.source, { levels: { [name]: value } });
}
const lastOf = computed(() => {
  const out = room.speakers.filter((one) => off.value.has(one.name)).map((one) => one.label);
  if (!out.length) return "From every loudspeaker.";
  return `${out.join(", ")} off: ${out.length === 1 ? "its" : "their"} share goes to the neighbours.`;
});
const forget = (): void =>
  edits.make(operation("restore-route", { source: props.source.id, passage: room.passage, route: null }));
</script>

<template>
  <section class="ways">
    <label class="when">
      <span class="quiet">in</span>
      <select v-model="room.passage" aria-label="When these speakers are used">
        <option value="">the whole piece</option>
        <option v-for="one in session.passages" :key="one.id" :value="one.id">
          {{ one.name }}{{ own[one.id] ? " · own" : "" }}
        </option>
      </select>
      <button v-if="room.passage && ofOwn" class="link" :disabled="!session.mayEdit" @click="forget">
        as elsewhere
      </button>
      <button v-else-if="!room.passage && own['']" class="link" :disabled="!session.mayEdit" @click="forget">
        reset
      </button>
    </label>
    <p v-if="!ofOwn" class="quiet note">As in the whole piece. A change here makes it this passage's own.</p>
    <div class="groups">
      <div v-for="group in room.groups" :key="group" class="group">
        <button
          class="may"
          :aria-pressed="sounds(group)"
          :disabled="!session.mayEdit"
          :title="`${names(group).length} loudspeaker${names(group).length > 1 ? 's' : ''}. Press to forbid or allow`"
          @click="toggle(group)"
        >
          {{ group }}
        </button>
        <button
          class="link"
          :disabled="!session.mayEdit"
          :aria-label="`Only ${group}`"
          @click="only(group, false)"
        >
          only
        </button>
        <button
          class="link"
          :disabled="!session.mayEdit"
          :aria-label="`All but ${group}`"
          @click="only(group, true)"
        >
          all but
        </button>
        <ValueField
          :value="level(group)"
          :label="`Level from ${group}`"
          :text="levelText"
          :parse="parseLevel"
          :step="0.5"
          :big-step="3"
          :low="OFF_DB"
          :high="12"
          :initial="0"
          hint="How strong this group plays it; double-click for 0 dB"
          :disabled="!session.mayEdit"
          @set="setLevel(group, $event)"
        />
      </div>
    </div>
    <p class="quiet note">{{ lastOf }}</p>
    <dl v-if="stem">
      <template v-for="part in ['direct', 'ambient'] as const" :key="part">
        <dt>{{ part === "direct" ? "Direct part" : "Ambience" }}</dt>
        <dd>
          <ValueField
            :value="route[part] ?? 0"
            :label="`Amount of the ${part} part`"
            :text="levelText"
            :parse="parseLevel"
            :step="0.5"
            :big-step="3"
            :low="OFF_DB"
            :high="12"
            :initial="0"
            hint="Double-click for 0 dB"
            :disabled="!session.mayEdit"
            @set="room.setRoute(source, { [part]: $event })"
          />
        </dd>
      </template>
      <template v-if="room.channels.some((one) => one.lfe)">
        <dt>LFE</dt>
        <dd>
          <ValueField
            :value="route.levels?.['lfe'] ?? OFF_DB"
            label="Level to the LFE"
            :text="levelText"
            :parse="parseLevel"
            :step="0.5"
            :big-step="3"
            :low="OFF_DB"
            :high="12"
            :initial="OFF_DB"
            hint="Double-click for off"
            :disabled="!session.mayEdit"
            @set="setLevel('lfe', $event)"
          />
        </dd>
      </template>
    </dl>
  </section>
</template>

<style scoped>
.when {
  display: flex;
  gap: 6px;
  align-items: center;
  font-size: 12.5px;
}
select {
  flex: 1;
  min-width: 0;
  height: 25px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.group {
  display: grid;
  grid-template-columns: 78px auto auto 1fr;
  gap: 8px;
  align-items: center;
  margin-top: 4px;
  font-size: 12px;
}
.may {
  height: 26px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  cursor: pointer;
}
.may[aria-pressed="true"] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
}
.note {
  margin: 5px 0;
  font-size: 12px;
}
dl {
  display: grid;
  grid-template-columns: 1fr 96px;
  align-items: center;
  gap: 1px 6px;
  margin: 0;
  font-size: 13px;
}
dd {
  margin: 0;
}
</style>
