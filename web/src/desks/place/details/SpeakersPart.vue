<script setup lang="ts">
/** From where the source may sound, always or in one passage, and how strong each group of loudspeakers plays it. */
import { Button } from "ant-design-vue";
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import { levelText, OFF_DB, parseLevel } from "@/domain/format";
import { operation, useEdits } from "@/session/edits";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
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
  if (!out.length) return t("speakersPart.allLoudspeakers");
  return t("speakersPart.excludedShare", { names: out.join(", ") }, out.length);
});
const forget = (): void =>
  edits.make(operation("restore-route", { source: props.source.id, passage: room.passage, route: null }));
</script>

<template>
  <section class="ways">
    <label class="when">
      <span class="quiet">{{ $t("speakersPart.in") }}</span>
      <select v-model="room.passage" :aria-label="$t('speakersPart.whenTheseSpeakersAreUsed')">
        <option value="">{{ $t("speakersPart.theWholePiece") }}</option>
        <option v-for="one in session.passages" :key="one.id" :value="one.id">
          {{ one.name }}{{ own[one.id] ? $t("speakersPart.own") : "" }}
        </option>
      </select>
      <Button
        v-if="room.passage && ofOwn"
        type="link"
        size="small"
        :disabled="!session.mayEdit"
        @click="forget"
      >
        {{ $t("speakersPart.asElsewhere") }}
      </Button>
      <Button
        v-else-if="!room.passage && own['']"
        type="link"
        size="small"
        :disabled="!session.mayEdit"
        @click="forget"
      >
        {{ $t("speakersPart.reset") }}
      </Button>
    </label>
    <p v-if="!ofOwn" class="quiet note">{{ $t("speakersPart.asInTheWholePiece") }}</p>
    <div class="groups">
      <div v-for="group in room.groups" :key="group" class="group">
        <button
          class="may"
          :aria-pressed="sounds(group)"
          :disabled="!session.mayEdit"
          :title="
            $t('speakersPart.loudspeakersOfTheGroup', { count: names(group).length }, names(group).length)
          "
          @click="toggle(group)"
        >
          {{ group }}
        </button>
        <Button
          type="link"
          size="small"
          :disabled="!session.mayEdit"
          :aria-label="$t('speakersPart.onlyGroup', { group: group })"
          @click="only(group, false)"
        >
          {{ $t("speakersPart.only") }}
        </Button>
        <Button
          type="link"
          size="small"
          :disabled="!session.mayEdit"
          :aria-label="$t('speakersPart.excludeGroup', { group: group })"
          @click="only(group, true)"
        >
          {{ $t("speakersPart.exclude") }}
        </Button>
        <ValueField
          live
          :value="level(group)"
          :label="$t('speakersPart.levelFromGroup', { group: group })"
          :text="levelText"
          :parse="parseLevel"
          :step="0.5"
          :big-step="3"
          :low="OFF_DB"
          :high="12"
          :initial="0"
          :hint="$t('speakersPart.levelOfThisGroupDouble')"
          :disabled="!session.mayEdit"
          @set="setLevel(group, $event)"
        />
      </div>
    </div>
    <p class="quiet note">{{ lastOf }}</p>
    <dl v-if="stem">
      <template v-for="part in ['direct', 'ambient'] as const" :key="part">
        <dt>{{ part === "direct" ? $t("speakersPart.directPart") : $t("speakersPart.ambience") }}</dt>
        <dd>
          <ValueField
            live
            :value="route[part] ?? 0"
            :label="$t('speakersPart.amountOfThePartPart', { part: part })"
            :text="levelText"
            :parse="parseLevel"
            :step="0.5"
            :big-step="3"
            :low="OFF_DB"
            :high="12"
            :initial="0"
            :hint="$t('speakersPart.doubleClickFor0DB')"
            :disabled="!session.mayEdit"
            @set="room.setRoute(source, { [part]: $event })"
          />
        </dd>
      </template>
      <template v-if="room.channels.some((one) => one.lfe)">
        <dt>{{ $t("speakersPart.lFE") }}</dt>
        <dd>
          <ValueField
            live
            :value="route.levels?.['lfe'] ?? OFF_DB"
            :label="$t('speakersPart.levelToTheLFE')"
            :text="levelText"
            :parse="parseLevel"
            :step="0.5"
            :big-step="3"
            :low="OFF_DB"
            :high="12"
            :initial="OFF_DB"
            :hint="$t('speakersPart.doubleClickForOff')"
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
