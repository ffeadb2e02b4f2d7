<script setup lang="ts">
/** Every source of the session, in its groups, with its place in the list itself; and the returns below. */
import { useSelection } from "@/session/selection";
import { Button } from "ant-design-vue";
import type { Group, Source } from "@/domain/model";
import { must } from "@/domain/must";
import { t } from "@/words";
import { useVirtualizer } from "@tanstack/vue-virtual";
import { useLocalStorage, useMediaQuery } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { usePointerDrag } from "@/ui/pointerDrag";
import { useRoving } from "./roving";
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
const selection = useSelection();
const view = useChartView();
const placing = usePlacing();
const returns = useReturns();
const showRemoved = ref(false);

/** A row of the list: a group's head, or a source. */
type Item =
  { key: string; group: Group; members: Source[] } | { key: string; source: Source; isGrouped: boolean };

/** Heights of rows (px), by density. */
const HEIGHTS = {
  roomy: { group: 30, source: 46 },
  compact: { group: 26, source: 24 },
  /** Where fingers press. */
  phone: { group: 44, source: 50 },
} as const;
/** Rows made beyond those in sight. */
const BEYOND = 10;
/** From so many sources on they can be filtered. */
const MANY = 8;
const density = useLocalStorage<"roomy" | "compact">("needle-list-density", "roomy");
const isPhone = useMediaQuery("(max-width: 760px)");
const heights = computed(() => HEIGHTS[isPhone.value ? "phone" : density.value]);
const collapsed = useLocalStorage<string[]>("needle-collapsed-groups", []);
const filterText = ref("");

/** What a source is found by: its name, its group, and what it does. */
function matchesFilter(source: Source): boolean {
  const words = filterText.value.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return true;
  const group = session.document?.groups[source.group]?.name ?? "";
  const names = `${source.name} ${group}`.toLowerCase();
  return words.every(
    (word) =>
      names.includes(word) ||
      (word === t("roster.wordMoving") && isMoving(source)) ||
      (word === t("roster.wordMuted") && session.muted(source)) ||
      (word === t("roster.wordSoloed") && player.solo.includes(source.id)),
  );
}
const isMoving = (source: Source): boolean =>
  !!session.document?.pulses[source.id]?.on ||
  session.document?.deals[source.id]?.on === true ||
  view.ownLanes(source).some((parameter) => session.follows(source.id, parameter));

function toggle(group: string): void {
  collapsed.value = collapsed.value.includes(group)
    ? collapsed.value.filter((one) => one !== group)
    : [...collapsed.value, group];
}

/** Sources in order; a group stands where its first member stands, with all its members. */
const items = computed<Item[]>(() => {
  const entries: Item[] = [];
  const groups = session.document?.groups ?? {};
  const seen = new Set<string>();
  const matching = selection.shownSources.filter(matchesFilter);
  for (const source of matching) {
    const group = groups[source.group];
    if (!group) entries.push({ key: source.id, source, isGrouped: false });
    else if (!seen.has(group.id)) {
      seen.add(group.id);
      const members = matching.filter((one) => one.group === group.id);
      entries.push({ key: `group:${group.id}`, group, members });
      if (!collapsed.value.includes(group.id))
        entries.push(...members.map((one) => ({ key: one.id, source: one, isGrouped: true })));
    }
  }
  return entries;
});

const list = ref<HTMLElement>();
const virtualizer = useVirtualizer(
  computed(() => ({
    count: items.value.length,
    getScrollElement: () => list.value ?? null,
    estimateSize: (index: number) => heights.value["group" in must(items.value[index]) ? "group" : "source"],
    getItemKey: (index: number) => items.value[index]?.key ?? index,
    overscan: BEYOND,
    paddingEnd: 8,
  })),
);
watch([heights, items], () => virtualizer.value.measure());
const rows = computed(() =>
  virtualizer.value.getVirtualItems().flatMap(({ index, start, size }) => {
    const item = items.value[index];
    return item ? [{ item, start, size }] : [];
  }),
);
const { onFocus, onKey } = useRoving(
  list,
  () => items.value.map(({ key }) => key),
  (index) => virtualizer.value.scrollToIndex(index),
);
// Who selects elsewhere finds it in the list.
watch(
  () => selection.chosen,
  (id) => {
    const index = items.value.findIndex(({ key }) => key === id);
    if (index >= 0) virtualizer.value.scrollToIndex(index);
  },
);

/** A source that is dragged to another place of the list, and the one before which it would be put. */
const dragged = ref<string | null>(null);
const over = ref<string | null>(null);
const drag = usePointerDrag({
  start: (event) => {
    const handle = (event.target as HTMLElement).closest<HTMLElement>("[data-reorder]");
    if (!handle || !session.mayEdit) return false;
    dragged.value = handle.dataset.reorder ?? null;
    event.preventDefault();
    return true;
  },
  move: (event) => {
    const row = document
      .elementFromPoint(event.clientX, event.clientY)
      ?.closest<HTMLElement>("[data-source]");
    over.value = row?.dataset.source ?? null;
  },
  end: () => {
    const [source, before] = [session.sourceById(dragged.value), session.sourceById(over.value)];
    dragged.value = over.value = null;
    if (source && before && source.id !== before.id) placing.putBefore(source, before);
  },
  cancel: () => (dragged.value = over.value = null),
});
</script>

<template>
  <aside class="roster" :aria-label="$t('roster.sources')">
    <header>
      <h2 class="heading">{{ $t("roster.sources") }}</h2>
      <Button v-if="player.solo.length" type="link" size="small" @click="player.solo = []">
        <span aria-hidden="true">◖</span> {{ $t("roster.clearSolo") }}
      </Button>
      <Button v-else-if="selection.alone" type="link" size="small" @click="selection.alone = false">
        {{ $t("roster.showAll") }}
      </Button>
      <Button v-if="session.mayEdit" type="link" size="small" class="add" @click="$emit('bringIn')">
        {{ $t("roster.add") }}
      </Button>
    </header>
    <div v-if="session.sources.length > MANY" class="filter">
      <input
        v-model="filterText"
        type="search"
        :placeholder="$t('roster.filterHint')"
        :aria-label="$t('roster.filter')"
        @keydown.escape.stop="filterText = ''"
        @keydown.enter="($event.target as HTMLElement).blur()"
      />
      <Button
        v-if="!isPhone"
        size="small"
        :aria-pressed="density === 'compact'"
        :aria-label="$t('roster.compactRows')"
        :title="$t('roster.compactRows')"
        @click="density = density === 'compact' ? 'roomy' : 'compact'"
      >
        <svg width="12" height="12" aria-hidden="true"><path d="M1 2h10M1 5h10M1 8h10M1 11h10" /></svg>
      </Button>
    </div>
    <div
      ref="list"
      class="list"
      @focusin="onFocus"
      @keydown="onKey"
      v-on="drag.follow"
      @pointerdown="drag.down($event, undefined)"
    >
      <ul :style="{ height: `${virtualizer.getTotalSize()}px` }" :aria-label="$t('roster.sources')">
        <template v-for="{ item, start, size } in rows" :key="item.key">
          <GroupRow
            v-if="'group' in item"
            :group="item.group"
            :members="item.members"
            :is-collapsed="collapsed.includes(item.group.id)"
            :style="{ transform: `translateY(${start}px)`, height: `${size}px` }"
            @toggle="toggle(item.group.id)"
          />
          <RosterRow
            v-else
            :source="item.source"
            :is-compact="density === 'compact' && !isPhone"
            :class="{
              grouped: item.isGrouped,
              over: over === item.source.id,
              dragged: dragged === item.source.id,
            }"
            :style="{ transform: `translateY(${start}px)`, height: `${size}px` }"
          />
        </template>
      </ul>
      <p v-if="!session.sources.length" class="empty quiet">{{ $t("roster.yourStemsAreListedHere") }}</p>
      <p v-else-if="!items.length" class="empty quiet" role="status">{{ $t("roster.nothingMatches") }}</p>
      <Button v-if="session.mayEdit" type="link" size="small" class="removed" @click="showRemoved = true">
        {{ $t("roster.removed") }}
      </Button>
    </div>
    <footer class="returns" :aria-label="$t('roster.returns')">
      <header>
        <h2 class="heading">{{ $t("roster.returns") }}</h2>
        <Button v-if="session.mayEdit" type="link" size="small" class="add" @click="returns.add()">
          {{ $t("roster.return") }}
        </Button>
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
.list ul {
  position: relative;
}
.list li {
  position: absolute;
  top: 0;
  left: 0;
  right: 0;
}
.grouped {
  margin-left: 8px;
  border-left: 2px solid var(--rule-strong);
  border-radius: 0 4px 4px 0;
}
.over {
  box-shadow: 0 -2px 0 var(--lamp);
}
.dragged {
  opacity: 0.5;
}
.filter {
  display: flex;
  gap: 5px;
  padding: 2px 10px 6px 16px;
}
.filter input {
  flex: 1;
  min-width: 0;
  height: 24px;
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 12px;
}
.filter svg {
  display: block;
  fill: none;
  stroke: currentcolor;
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
