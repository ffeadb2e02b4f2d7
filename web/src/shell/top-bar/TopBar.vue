<script setup lang="ts">
/** The dark bar: the session, its desks, what is personal (with its ear mark), who is here, and what is kept. */
import { channelsText } from "@/domain/format";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed } from "vue";
import { useSession } from "@/session/session";
import { useComments } from "@/features/comments/comments";
import { useRoom } from "@/session/room";
import Here from "./Here.vue";
import ListeningMark from "./ListeningMark.vue";
import ListenPick from "./ListenPick.vue";
import Saved from "./Saved.vue";
import SoundButton from "./SoundButton.vue";
import { BESIDE, usePanels } from "@/shell/panels";
import Transport from "@/shell/transport/Transport.vue";

defineProps<{ desk: string; sheet: string }>();
defineEmits<{
  help: [];
  settings: [part: string];
  people: [];
  sound: [];
  sheet: [which: "history" | "comments"];
}>();
const comments = useComments();
const session = useSession();
const room = useRoom();
const DESKS = [
  { name: "place", title: t("topBar.place") },
  { name: "move", title: t("topBar.move") },
  { name: "pulse", title: t("topBar.pulse") },
  { name: "balance", title: t("topBar.balance") },
  { name: "hand-over", title: t("topBar.handOver") },
];
const panels = usePanels();
const besides = DESKS.filter(({ name }) => (BESIDE as readonly string[]).includes(name));
const about = computed(() => {
  const found = session.settings;
  if (!found) return [];
  const [, beats, unit] = must(found.metres[0]);
  return [
    `${must(found.tempos[0])[1]} bpm · ${beats}/${unit}`,
    room.surround ? found.layout : channelsText(2),
  ];
});
</script>

<template>
  <header class="bar">
    <RouterLink to="/" class="home" :title="$t('topBar.allSessions')">
      <img src="/needle.svg" :alt="$t('topBar.allSessions')" width="24" height="24" />
    </RouterLink>
    <div class="title">
      <h1 :title="session.settings?.name">{{ session.settings?.name }}</h1>
      <button class="about" :title="$t('topBar.nameTempoMetrePanLaw')" @click="$emit('settings', 'general')">
        <b class="hidden-label">{{ $t("topBar.sessionSettings") }} </b>
        <span v-for="line in about" :key="line">{{ line }}</span>
      </button>
    </div>
    <nav :aria-label="$t('topBar.desks')">
      <RouterLink
        v-for="one in DESKS"
        :key="one.name"
        class="desk"
        :to="`/sessions/${session.id}/${one.name}`"
        :aria-current="desk === one.name ? 'page' : undefined"
        >{{ one.title }}</RouterLink
      >
      <label v-if="panels.isWide && desk !== 'hand-over'" class="beside" :title="$t('topBar.besideTip')">
        <span class="hidden-label">{{ $t("topBar.anotherDeskBeside") }}</span>
        <select v-model="panels.beside">
          <option value="">{{ $t("topBar.nothingBeside") }}</option>
          <option v-for="one in besides" :key="one.name" :value="one.name">
            {{ $t("topBar.besideDesk", { desk: one.title }) }}
          </option>
        </select>
      </label>
    </nav>
    <div class="personal">
      <ListeningMark />
      <SoundButton @open="$emit('sound')" />
      <ListenPick v-if="room.surround" />
      <Transport />
    </div>
    <div class="turns" role="group" :aria-label="$t('topBar.yourOwnChanges')">
      <button
        :disabled="!session.mayEdit || !session.turns.undo"
        :aria-label="
          session.turns.undo
            ? $t('topBar.undoSummary', { summary: session.turns.undo.summary })
            : $t('topBar.undo')
        "
        :title="
          session.turns.undo
            ? $t('topBar.undoSummaryCtrlZ', { summary: session.turns.undo.summary })
            : $t('topBar.nothingOfYoursToUndo')
        "
        @click="session.turnBack('undo')"
      >
        <svg width="18" height="16"><path d="M7 3 3 7l4 4M3.5 7H11a4 4 0 0 1 0 8H8" /></svg>
      </button>
      <button
        :disabled="!session.mayEdit || !session.turns.redo"
        :aria-label="
          session.turns.redo
            ? $t('topBar.redoSummary', { summary: session.turns.redo.summary })
            : $t('topBar.redo')
        "
        :title="
          session.turns.redo
            ? $t('topBar.redoSummaryCtrlShiftZ', { summary: session.turns.redo.summary })
            : $t('topBar.nothingOfYoursToRedo')
        "
        @click="session.turnBack('redo')"
      >
        <svg width="18" height="16"><path d="m11 3 4 4-4 4M14.5 7H7a4 4 0 0 0 0 8h3" /></svg>
      </button>
    </div>
    <Here @people="$emit('people')" />
    <Saved />
    <div class="sheets" role="group" :aria-label="$t('topBar.panels')">
      <button
        :aria-pressed="sheet === 'history'"
        :aria-label="$t('topBar.history')"
        :title="$t('topBar.historyWhoChangedWhatAnd')"
        @click="$emit('sheet', 'history')"
      >
        <svg width="18" height="18">
          <circle cx="9" cy="9" r="7" />
          <path d="M9 4.500V9l3.500 2" />
        </svg>
      </button>
      <button
        :aria-pressed="sheet === 'comments'"
        :aria-label="
          comments.unread
            ? $t('topBar.commentsUnreadUnread', { unread: comments.unread })
            : $t('topBar.comments')
        "
        :title="$t('topBar.commentsNANewOne')"
        @click="$emit('sheet', 'comments')"
      >
        <svg width="18" height="18"><path d="M2 3h14v9H9l-4 4v-4H2Z" /></svg>
        <span v-if="comments.unread" class="unread">{{ comments.unread }}</span>
      </button>
    </div>
    <button
      class="help"
      :aria-label="$t('topBar.shortcutsAndHelp')"
      :title="$t('topBar.shortcuts')"
      @click="$emit('help')"
    >
      ?
    </button>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 8px;
  height: 46px;
  padding: 0 12px;
  background: var(--bar);
  color: var(--bar-text);
  white-space: nowrap;
}
.home {
  display: flex;
}
.title {
  display: flex;
  align-items: center;
  gap: 9px;
  flex: 0 20 auto;
  min-width: 120px;
  overflow: hidden;
}
h1 {
  min-width: 0;
  overflow: hidden;
  font-size: 16px;
  text-overflow: ellipsis;
}
.about {
  display: grid;
  flex: none;
  padding: 2px 4px;
  border: 0;
  border-radius: 3px;
  background: none;
  color: var(--bar-quiet);
  font-size: 11.5px;
  line-height: 15px;
  text-align: left;
  white-space: nowrap;
  cursor: pointer;
}
.about:hover {
  background: var(--bar-hover);
}
nav {
  display: flex;
  align-self: stretch;
}
.desk {
  display: flex;
  align-items: center;
  height: 100%;
  padding: 0 10px;
  color: inherit;
  text-decoration: none;
}
.desk:hover {
  background: var(--bar-hover);
}
.desk[aria-current] {
  background: var(--paper);
  color: var(--ink);
  font-weight: 600;
}
.beside {
  align-self: center;
  margin-left: 10px;
}
.beside select {
  height: 26px;
  padding: 0 8px;
  border: 1px solid var(--bar-rule);
  border-radius: 13px;
  background: transparent;
  color: var(--bar-quiet);
  font-size: 13px;
}
.personal {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-left: auto;
}
.turns,
.sheets {
  display: flex;
}
.turns button,
.sheets button,
.help {
  position: relative;
  display: grid;
  place-items: center;
  width: 28px;
  height: 28px;
  padding: 0;
  border: 0;
  border-radius: 3px;
  background: none;
  color: inherit;
  cursor: pointer;
}
.turns button:hover:not(:disabled),
.sheets button:hover,
.help:hover {
  background: var(--bar-hover);
}
.sheets button[aria-pressed="true"] {
  background: var(--paper);
  color: var(--ink);
}
.unread {
  position: absolute;
  top: -1px;
  right: -3px;
  min-width: 14px;
  padding: 0 3px;
  border-radius: 7px;
  background: var(--lamp);
  color: var(--on-lamp);
  font-size: 9.5px;
  font-weight: 600;
  line-height: 14px;
}
.turns svg,
.sheets svg {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.6;
}
button:disabled {
  opacity: 0.4;
  cursor: default;
}
.help {
  font-weight: 600;
}
@media (max-width: 1340px) {
  .bar {
    gap: 6px;
  }
  .desk {
    padding: 0 8px;
  }
  .personal :deep(select) {
    max-width: 136px;
  }
}
@media (max-width: 1100px) {
  .about {
    display: none;
  }
}
@media (max-width: 760px) {
  .bar {
    flex-wrap: wrap;
    height: auto;
    padding: 6px 8px;
    gap: 8px;
  }
  .help {
    display: none;
  }
  nav {
    order: 8;
    width: 100%;
    height: 34px;
  }
  .desk {
    flex: 1;
    justify-content: center;
  }
  .personal {
    order: 9;
    width: 100%;
    margin: 0;
  }
  .title {
    flex: 1;
  }
}
</style>
