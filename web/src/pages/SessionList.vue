<script setup lang="ts">
/** The sessions one belongs to. */
import { Button } from "ant-design-vue";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { get, type Schemas } from "@/api/http";
import { clockText } from "@/geometry/time";
import { useAccount } from "@/session/account";
import { initials, inkOf, personColour } from "@/ui/theme";
import AccountDialog from "@/people/AccountDialog.vue";
import { momentText } from "@/ui/moment";
import NewSession from "./NewSession.vue";

const account = useAccount();
const router = useRouter();
const sessions = ref<Schemas["SessionRow"][] | null>(null);
const trouble = ref("");
const making = ref(false);
const minding = ref(false);

onMounted(async () => {
  try {
    sessions.value = await get<Schemas["SessionRow"][]>("/api/sessions");
  } catch (error) {
    trouble.value = (error as Error).message;
  }
});

async function leave(): Promise<void> {
  await account.signOut();
  await router.push("/sign-in");
}
</script>

<template>
  <div class="page">
    <header>
      <img src="/needle.svg" alt="" width="26" height="26" />
      <b>Wandering Needle</b>
      <span class="me">{{ account.me?.name }}</span>
      <button class="small-button" @click="minding = true">Account…</button>
      <button class="small-button" @click="leave">Sign out</button>
    </header>
    <main>
      <div class="head">
        <h1>Your sessions</h1>
        <Button type="primary" @click="making = true">New session</Button>
      </div>
      <p v-if="trouble" role="alert">{{ trouble }} Load the page again.</p>
      <table v-if="sessions?.length">
        <thead class="heading">
          <tr>
            <th>Session</th>
            <th>Where things stand</th>
            <th>Length</th>
            <th>Sources</th>
            <th>People</th>
            <th>Last change</th>
            <th>You are</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in sessions" :key="one.id" @click="router.push(`/sessions/${one.id}`)">
            <td>
              <RouterLink :to="`/sessions/${one.id}`" @click.stop>{{ one.name }}</RouterLink>
              <span class="quiet">{{ one.bpm }} bpm · stereo · revision {{ one.revision }}</span>
            </td>
            <td>
              <svg class="field" viewBox="-104 0 208 26" aria-hidden="true">
                <path class="axis" d="M-100 21H100M0 17V25M-100 18V24M100 18V24" />
                <path
                  v-for="(place, i) in one.places"
                  :key="i"
                  :fill="inkOf(place.ink)"
                  :transform="`translate(${place.pan * 100} 0)`"
                  d="M0 4 4.500 18H-4.500Z"
                />
              </svg>
            </td>
            <td class="number">{{ clockText(one.length).slice(0, -2) }}</td>
            <td class="number">{{ one.sources }}</td>
            <td>
              <span
                v-for="person in one.people"
                :key="person.id"
                class="face"
                :style="{ background: personColour(person.colour) }"
                :title="`${person.name}, ${person.role}`"
                >{{ initials(person.name) }}</span
              >
            </td>
            <td class="number">{{ momentText(one.changed_at) }}</td>
            <td>{{ one.role }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="sessions" class="empty">
        You are in no session yet. Make one with “New session” and bring in your stems, or ask an owner to
        take you in.
      </p>
      <p v-else-if="!trouble" class="quiet">Looking…</p>
    </main>
    <NewSession v-model:open="making" />
    <AccountDialog v-model:open="minding" />
  </div>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 12px;
  height: 46px;
  padding: 0 16px;
  background: var(--ink);
  color: #f0ece0;
}
header .small-button {
  color: var(--ink);
}
.me {
  margin-left: auto;
}
main {
  max-width: 1060px;
  margin: 0 auto;
  padding: 44px 24px;
}
.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-bottom: 20px;
}
h1 {
  font-size: 26px;
}
table {
  width: 100%;
  border-collapse: collapse;
  background: var(--raised);
  border: 1px solid var(--rule-strong);
}
th,
td {
  padding: 12px 16px;
  border-bottom: 1px solid var(--rule);
  text-align: left;
  font-weight: 400;
}
tbody tr {
  cursor: pointer;
}
tbody tr:hover {
  background: #f4eedb;
}
td:first-child {
  border-left: 4px solid var(--lamp);
}
td a {
  display: block;
  color: var(--ink);
  font-size: 17px;
  font-weight: 600;
  text-decoration: none;
}
td .quiet {
  font-size: 12px;
}
.field {
  display: block;
  width: 208px;
  height: 26px;
  fill-opacity: 0.75;
}
.axis {
  stroke: var(--rule-strong);
}
.face {
  display: inline-grid;
  place-items: center;
  width: 24px;
  height: 24px;
  margin-right: 4px;
  border-radius: 50%;
  font-size: 10px;
  font-weight: 600;
}
.empty {
  padding: 28px;
  border: 1px dashed var(--rule-strong);
}
@media (max-width: 700px) {
  th:nth-child(n + 3),
  td:nth-child(n + 3) {
    display: none;
  }
  main {
    padding: 20px 12px;
  }
}
</style>
