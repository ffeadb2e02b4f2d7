<script setup lang="ts">
/** The sessions one belongs to. */
import { t } from "@/words";
import { Button, Input, Popconfirm } from "ant-design-vue";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { clockText } from "@/domain/grid";
import { useAccount } from "@/account/account";
import { initials, inkOf, personColour } from "@/ui/theme";
import AccountDialog from "@/features/account/AccountDialog.vue";
import PreferencesDialog from "@/features/account/PreferencesDialog.vue";
import Notices from "@/ui/Notices.vue";
import { useNotices } from "@/ui/notices";
import { momentText } from "@/ui/moment";
import NewSession from "./NewSession.vue";
import WaitingInvitations from "./WaitingInvitations.vue";
import { useSessionList, type SessionRow } from "./sessions";

const account = useAccount();
const router = useRouter();
const notices = useNotices();
const list = useSessionList();
const { shown, kept, putAway, words, away, trouble, coming, rows, invitations } = list;
const making = ref(false);
const minding = ref(false);
const preferring = ref(false);
const chooser = ref<HTMLInputElement>();
const over = ref(false);

onMounted(() => void list.look());

async function leave(): Promise<void> {
  await account.signOut();
  await router.push("/sign-in");
}

const layoutText = (layout: string): string => (layout === "0+2+0" ? "stereo" : layout);
const COLUMNS = [
  { by: "name", title: t("sessionList.session") },
  { by: "", title: t("sessionList.overview") },
  { by: "length", title: t("sessionList.length") },
  { by: "sources", title: t("sessionList.sources") },
  { by: "", title: t("sessionList.people") },
  { by: "changed", title: t("sessionList.lastChange") },
  { by: "", title: t("sessionList.yourRole") },
  { by: "", title: "" },
] as const;

async function copy(row: SessionRow): Promise<void> {
  const id = await list.copy(row);
  if (id) await router.push(`/sessions/${id}`);
}

async function take(files: FileList | null | undefined): Promise<void> {
  over.value = false;
  const [file] = files ?? [];
  if (!file || coming.value) return;
  const made = await list.open(file);
  if (!made) return void list.look();
  if (made.notes) notices.tell(made.notes);
  await router.push(`/sessions/${made.id}`);
}
function choose(event: Event): void {
  const field = event.target as HTMLInputElement;
  void take(field.files);
}
</script>

<template>
  <div
    class="page"
    :class="{ over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="take($event.dataTransfer?.files)"
  >
    <header>
      <img src="/needle.svg" alt="" width="26" height="26" />
      <b>{{ $t("sessionList.wanderingNeedle") }}</b>
      <a class="guide" href="/guide/" target="_blank">{{ $t("sessionList.guide") }}</a>
      <span class="me">{{ account.me?.name }}</span>
      <Button size="small" @click="preferring = true">{{ $t("sessionList.preferences") }}</Button>
      <Button size="small" @click="minding = true">{{ $t("sessionList.account") }}</Button>
      <Button size="small" @click="leave">{{ $t("sessionList.signOut") }}</Button>
    </header>
    <main>
      <div class="head">
        <h1>{{ away ? $t("sessionList.archived") : $t("sessionList.yourSessions") }}</h1>
        <Input
          v-if="kept.length > 1 || words"
          v-model:value="words"
          type="search"
          :placeholder="$t('sessionList.aNameOrAPerson')"
          :aria-label="$t('sessionList.searchSessions')"
        />
        <Button @click="chooser?.click()">{{ $t("sessionList.importSession") }}</Button>
        <input
          ref="chooser"
          class="hidden-label"
          type="file"
          accept=".zip,.wav,.bw64"
          tabindex="-1"
          :aria-label="$t('sessionList.aSessionBundleOrObject')"
          @change="choose"
        />
        <Button type="primary" @click="making = true">{{ $t("sessionList.newSession") }}</Button>
      </div>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <div v-if="coming" class="coming" role="status">
        <span
          >{{
            coming.status === "reading"
              ? $t("sessionList.importing")
              : coming.status === "away"
                ? $t("sessionList.waitingToSend")
                : $t("sessionList.sending")
          }}
          {{ coming.file.name }}</span
        >
        <progress :value="coming.share" max="1" :aria-label="coming.file.name" />
        <span class="number">{{ Math.round(coming.share * 100) }} %</span>
        <Button size="small" @click="list.stop()">{{ $t("sessionList.cancel") }}</Button>
      </div>
      <WaitingInvitations
        v-if="invitations.length"
        :invitations="invitations"
        @accept="list.accept"
        @decline="list.decline"
      />
      <table v-if="shown.length">
        <thead class="heading">
          <tr>
            <th v-for="one in COLUMNS" :key="one.title" :aria-sort="one.by ? list.sorted(one.by) : undefined">
              <button v-if="one.by" class="sort" @click="list.sortBy(one.by)">
                {{ one.title }}
                <span aria-hidden="true">{{
                  { ascending: "↑", descending: "↓", none: "" }[list.sorted(one.by)]
                }}</span>
              </button>
              <template v-else-if="one.title">{{ one.title }}</template>
              <span v-else class="hidden-label">{{ $t("sessionList.actions") }}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in shown" :key="one.id" @click="router.push(`/sessions/${one.id}`)">
            <td>
              <RouterLink :to="`/sessions/${one.id}`" @click.stop>{{ one.name }}</RouterLink>
              <span class="quiet">{{
                $t("sessionList.bpmBpmLayoutTextRevisionRevision", {
                  bpm: one.bpm,
                  layoutText: layoutText(one.layout),
                  revision: one.revision,
                })
              }}</span>
            </td>
            <td>
              <svg class="field" viewBox="-104 0 208 26" aria-hidden="true">
                <path class="axis" d="M-100 21H100M0 17V25M-100 18V24M100 18V24" />
                <path
                  v-for="(place, i) in one.places"
                  :key="i"
                  :fill="inkOf(place.colour)"
                  :transform="`translate(${place.pan * 100} 0)`"
                  d="M0 4 4.500 18H-4.500Z"
                />
              </svg>
            </td>
            <td class="number">{{ clockText(one.length).slice(0, -2) }}</td>
            <td class="number">{{ one.sources }}</td>
            <td class="people">
              <span
                v-for="person in one.people"
                :key="person.id"
                class="face"
                role="img"
                :style="{ background: personColour(person.colour) }"
                :aria-label="`${person.name}, ${person.role}`"
                :title="`${person.name}, ${person.role}`"
                >{{ initials(person.name) }}</span
              >
            </td>
            <td class="number">{{ momentText(one.changed_at) }}</td>
            <td>{{ one.role }}</td>
            <td class="acts" @click.stop>
              <Button
                v-if="one.role !== 'listener'"
                type="link"
                size="small"
                :aria-label="$t('sessionList.copyName', { name: one.name })"
                :title="$t('sessionList.aNewSessionOfYour')"
                @click="copy(one)"
              >
                {{ $t("sessionList.copy") }}
              </Button>
              <Button
                type="link"
                size="small"
                :aria-label="
                  $t(one.archived ? 'sessionList.restoreName' : 'sessionList.archiveName', { name: one.name })
                "
                :title="$t('sessionList.onlyInYourOwnList')"
                @click="list.put(one, !one.archived)"
              >
                {{ one.archived ? $t("sessionList.restore2") : $t("sessionList.archive") }}
              </Button>
              <Popconfirm
                v-if="one.role === 'owner'"
                placement="left"
                :ok-text="$t('sessionList.delete')"
                :cancel-text="$t('sessionList.cancel2')"
                :ok-button-props="{ danger: true }"
                :title="$t('sessionList.deleteNameForEverybodyIn', { name: one.name })"
                @confirm="list.destroy(one)"
              >
                <template #description>
                  <p class="warning">
                    {{ $t("sessionList.itsHistoryCommentsAndExports") }}
                    <RouterLink :to="`/sessions/${one.id}/hand-over`">{{
                      $t("sessionList.exportABundleFirst")
                    }}</RouterLink>
                    {{ $t("sessionList.toKeepACopy") }}
                  </p>
                </template>
                <Button
                  type="link"
                  size="small"
                  :aria-label="$t('sessionList.deleteName', { name: one.name })"
                  :title="$t('sessionList.forEverybodyInIt')"
                >
                  {{ $t("sessionList.delete2") }}
                </Button>
              </Popconfirm>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="rows && words" class="empty">
        {{ $t("sessionList.noSessionOrMemberIs", { words: words }) }}
        <Button type="link" size="small" @click="words = ''">{{ $t("sessionList.showAll") }}</Button>
      </p>
      <div v-else-if="rows && !away" class="empty">
        <p>{{ $t("sessionList.noSessionsYetCreateOne") }}</p>
        <Button type="primary" @click="making = true">{{ $t("sessionList.newSession") }}</Button>
      </div>
      <p v-else-if="rows" class="empty">{{ $t("sessionList.noArchivedSessions") }}</p>
      <p v-else-if="!trouble" class="quiet">{{ $t("sessionList.loading") }}</p>
      <p v-if="putAway || away" class="away">
        <Button type="link" size="small" @click="away = !away">
          {{
            away
              ? $t("sessionList.backToYourSessions")
              : $t("sessionList.putAwayArchived", { putAway: putAway })
          }}
        </Button>
      </p>
    </main>
    <NewSession v-model:open="making" />
    <AccountDialog v-model:open="minding" />
    <PreferencesDialog v-model:open="preferring" />
    <Notices />
  </div>
</template>

<style scoped>
.warning {
  max-width: 300px;
  margin: 0;
}
.page {
  min-height: 100%;
}
.page.over {
  outline: 3px dashed var(--lamp);
  outline-offset: -6px;
}
header {
  display: flex;
  align-items: center;
  gap: 12px;
  height: 46px;
  padding: 0 16px;
  background: var(--bar);
  color: var(--bar-text);
  white-space: nowrap;
}
.guide {
  color: var(--bar-text);
}
.me {
  margin-left: auto;
  overflow: hidden;
  text-overflow: ellipsis;
}
main {
  max-width: 1120px;
  margin: 0 auto;
  padding: 44px 24px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 10px;
  margin-bottom: 20px;
}
h1 {
  flex: 1;
  font-size: 26px;
}
input[type="search"] {
  width: 210px;
  height: 32px;
  padding: 0 9px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.coming {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-bottom: 16px;
  padding: 9px 14px;
  background: var(--raised);
  border: 1px solid var(--lamp);
}
progress {
  flex: 1;
  height: 6px;
  accent-color: var(--lamp);
}
table {
  width: 100%;
  border-collapse: collapse;
  background: var(--raised);
  border: 1px solid var(--rule-strong);
}
th,
td {
  padding: 12px 14px;
  border-bottom: 1px solid var(--rule);
  text-align: left;
  font-weight: 400;
}
.sort {
  padding: 0;
  border: 0;
  background: none;
  font: inherit;
  letter-spacing: inherit;
  text-transform: inherit;
  white-space: nowrap;
  cursor: pointer;
}
.sort:hover {
  text-decoration: underline;
}
tbody tr {
  cursor: pointer;
}
tbody tr:hover {
  background: var(--lamp-wash);
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
.acts {
  white-space: nowrap;
}
.acts .ant-btn-link + .ant-btn-link {
  margin-left: 10px;
}
.people {
  white-space: nowrap;
}
.field {
  display: block;
  width: 180px;
  height: 26px;
  fill-opacity: 0.75;
}
.axis {
  stroke: var(--rule-strong);
}
.face {
  color: var(--on-lamp);
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
  display: grid;
  gap: 14px;
  justify-items: start;
  padding: 28px;
  border: 1px dashed var(--rule-strong);
}
.away {
  margin-top: 14px;
}
.trouble {
  margin-bottom: 14px;
}
@media (max-width: 980px) {
  th:nth-child(n + 3):nth-child(-n + 5),
  td:nth-child(n + 3):nth-child(-n + 5) {
    display: none;
  }
}
@media (max-width: 700px) {
  th:nth-child(n + 2):nth-child(-n + 7),
  td:nth-child(n + 2):nth-child(-n + 7) {
    display: none;
  }
  main {
    padding: 20px 12px;
  }
  header {
    gap: 8px;
    padding: 0 8px;
  }
  h1 {
    font-size: 20px;
  }
  .me,
  header b {
    display: none;
  }
  .guide {
    margin-right: auto;
  }
  input[type="search"] {
    order: 5;
    width: 100%;
  }
}
</style>
