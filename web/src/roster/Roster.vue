<script setup lang="ts">
/** Every source of the session, with its place in the list itself. */
import { useSession } from "@/session/session";
import { usePlayer } from "@/sound/player";
import RosterRow from "./RosterRow.vue";

const session = useSession();
const player = usePlayer();
</script>

<template>
  <aside class="roster" aria-label="Sources">
    <header>
      <h2 class="heading">Sources</h2>
      <button v-if="player.solo.length" class="end-solo" @click="player.solo = []">
        <span aria-hidden="true">◖</span> hear all again
      </button>
    </header>
    <ul>
      <RosterRow v-for="source in session.sources" :key="source.id" :source="source" />
    </ul>
    <p v-if="!session.sources.length" class="empty quiet">
      Sources appear here, each with its level and place.
    </p>
    <footer v-if="!session.mayEdit" class="quiet">
      You are here as a listener: hear everything, change nothing.
    </footer>
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
  justify-content: space-between;
  padding: 12px 16px 4px;
  min-height: 36px;
}
ul {
  flex: 1;
  min-height: 0;
  margin: 0;
  padding: 0 5px 8px;
  overflow-y: auto;
  list-style: none;
}
.end-solo {
  padding: 0;
  border: 0;
  background: none;
  color: var(--right);
  font-size: 12px;
  cursor: pointer;
}
.empty,
footer {
  padding: 10px 16px;
}
footer {
  border-top: 1px solid var(--rule-strong);
  font-size: 13px;
}
</style>
