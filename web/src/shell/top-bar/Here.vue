<script setup lang="ts">
/** Who is here: a press listens along with them; and the door to everybody's parts. */
import { t } from "@/words";
import { computed } from "vue";
import { useSession } from "@/session/session";
import { useAlong } from "@/audio/along";
import { initials, personColour } from "@/ui/theme";
import type { Person } from "@/collab/channel";

defineEmits<{ people: [] }>();
const session = useSession();
const along = useAlong();
const others = computed(() => [...session.people.values()]);
const toggle = (person: Person): void => (along.tab === person.tab ? along.leave() : along.begin(person));
const told = (person: Person): string =>
  along.tab === person.tab
    ? t("here.listeningAlongWithNamePress", { name: person.name })
    : t("here.nameRoleListenAlong", { name: person.name, role: person.role });
</script>

<template>
  <div class="here">
    <ul :aria-label="$t('here.inTheSessionNow')">
      <li v-if="session.me">
        <span
          class="face"
          :style="{ background: personColour(session.me.colour) }"
          :title="$t('here.nameRoleYou', { name: session.me.name, role: session.me.role })"
          >{{ initials(session.me.name) }}</span
        >
      </li>
      <li v-for="person in others" :key="person.tab">
        <button
          class="face"
          :class="{ along: along.tab === person.tab }"
          :style="{ background: personColour(person.colour) }"
          :title="told(person)"
          :aria-label="told(person)"
          :aria-pressed="along.tab === person.tab"
          @click="toggle(person)"
        >
          {{ initials(person.name) }}
        </button>
      </li>
    </ul>
    <button
      class="more"
      :aria-label="$t('here.people')"
      :title="$t('here.peopleRolesAndInvitations')"
      @click="$emit('people')"
    >
      <svg width="16" height="16" aria-hidden="true">
        <circle cx="6" cy="5" r="3" />
        <path d="M1 15c0-6 10-6 10 0M13 6v6M10 9h6" />
      </svg>
    </button>
  </div>
</template>

<style scoped>
.here,
ul {
  display: flex;
  gap: 4px;
  align-items: center;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
.face {
  display: grid;
  place-items: center;
  width: 24px;
  height: 24px;
  padding: 0;
  border: 0;
  border-radius: 50%;
  color: var(--on-lamp);
  font-size: 10px;
  font-weight: 600;
}
button {
  cursor: pointer;
}
.along {
  outline: 2px solid var(--lamp);
  outline-offset: 2px;
}
.more {
  display: grid;
  place-items: center;
  width: 26px;
  height: 26px;
  padding: 0;
  border: 0;
  border-radius: 3px;
  background: none;
  color: inherit;
}
.more:hover {
  background: var(--bar-hover);
}
.more svg {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.4;
}
</style>
