<script setup lang="ts">
/** Every source of the session, in its groups, with its place in the list itself; and the returns below. */
import type { Group, Source } from "@/domain/model";
import { computed, ref } from "vue";
import { useChartView } from "@/session/view";
import { useReturns } from "@/session/returns";
import { usePlacing } from "@/session/placing";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import GroupRow from "./GroupRow.vue";
import RemovedList from "./RemovedList.vue";
import ReturnRow from "./ReturnRow.vue";
import RosterRow from "./RosterRow.vue";

defineEmits<{ bringIn: [] }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const placing = usePlacing();
const returns = useReturns();
const showRemoved = ref(false);

interface Entry {
  group: Group | null;
  sources: Source[];
}

/** Sources in order; a group stands where its first member stands, with all its members. */
const entries = computed<Entry[]>(() => {
  const found: Entry[] = [];
  const groups = session.document?.groups ?? {};
  for (const source of view.shownSources) {
    const group = groups[source.group] ?? null;
    const last = found.at(-1);
    const there = group && found.find((entry) => entry.group?.id === group.id);
    if (there) there.sources.push(source);
    else if (!group && last && !last.group) last.sources.push(source);
    else found.push({ group, sources: [source] });
  }
  return found;
});

const dragged = ref<string | null>(null);
const over = ref<string | null>(null);

function drop(before: Source): void {
  const source = session.sourceById(dragged.value);
  dragged.value = over.value = null;
  if (source && source.id !== before.id) placing.putBefore(source, before);
}
</script>

<template>
  <aside class="roster" :aria-label="$t('roster.sources')">
    <header>
      <h2 class="heading">{{ $t("roster.sources") }}</h2>
      <button v-if="player.solo.length" class="link" @click="player.solo = []">
        <span aria-hidden="true">◖</span> {{ $t("roster.clearSolo") }}
      </button>
      <button v-else-if="view.alone" class="link" @click="view.alone = false">
        {{ $t("roster.showAll") }}
      </button>
      <button v-if="session.mayEdit" class="link add" @click="$emit('bringIn')">
        {{ $t("roster.add") }}
      </button>
    </header>
    <div class="list">
      <template v-for="(entry, i) in entries" :key="entry.group?.id ?? i">
        <GroupRow v-if="entry.group" :group="entry.group" :members="entry.sources" />
        <ul :class="{ grouped: entry.group }">
          <RosterRow
            v-for="source in entry.sources"
            :key="source.id"
            :source="source"
            :class="{ over: over === source.id }"
            @pick="dragged = source.id"
            @dragend="dragged = over = null"
            @dragover.prevent="dragged && (over = source.id)"
            @drop.prevent="drop(source)"
          />
        </ul>
      </template>
      <p v-if="!session.sources.length" class="empty quiet">{{ $t("roster.yourStemsAreListedHere") }}</p>
      <button v-if="session.mayEdit" class="link removed" @click="showRemoved = true">
        {{ $t("roster.removed") }}
      </button>
    </div>
    <footer class="returns" :aria-label="$t('roster.returns')">
      <header>
        <h2 class="heading">{{ $t("roster.returns") }}</h2>
        <button v-if="session.mayEdit" class="link add" @click="returns.add()">
          {{ $t("roster.return") }}
        </button>
      </header>
      <ul>
        <ReturnRow v-for="one in session.returns" :key="one.id" :to="one" />
      </ul>
      <p v-if="!session.returns.length" class="quiet none">{{ $t("roster.noReturnsYetAnEffect") }}</p>
    </footer>
    <footer v-if="!session.mayEdit" class="quiet listener">{{ $t("roster.youAreAListenerYou") }}</footer>
    <RemovedList v-if="session.mayEdit" v-model:open="showRemoved" />
  </aside>
</template>

<style scoped>
.roster {
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: var(--panel);
  border-right: 1px solid var(--rule-strong);
}
header {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 10px 14px 2px 16px;
  min-height: 34px;
}
header .heading {
  flex: 1;
}
.list {
  flex: 1;
  min-height: 0;
  padding: 0 5px 8px;
  overflow-y: auto;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.grouped {
  margin-left: 8px;
  border-left: 2px solid var(--rule-strong);
}
.over {
  box-shadow: 0 -2px 0 var(--lamp);
}
.link {
  padding: 0;
  border: 0;
  background: none;
  color: var(--right);
  font-size: 12px;
  cursor: pointer;
}
.removed {
  margin: 4px 11px;
  color: var(--quiet);
}
.empty,
.listener {
  padding: 10px 11px;
}
.returns {
  padding: 0 5px 6px;
  border-top: 1px solid var(--rule-strong);
}
.returns header {
  min-height: 28px;
  padding: 6px 9px 0 11px;
}
.none {
  padding: 2px 11px 6px;
  font-size: 12px;
}
.listener {
  border-top: 1px solid var(--rule-strong);
  font-size: 13px;
}
</style>
