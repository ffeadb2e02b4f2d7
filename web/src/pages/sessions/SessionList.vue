<script setup lang="ts">
/** The sessions one belongs to. */
import { Button, Input } from "ant-design-vue";
import { onMounted, ref, shallowRef } from "vue";
import { letterBox } from "@/collab/kept";
import { useRouter } from "vue-router";
import { useAccount } from "@/account/account";
import AccountDialog from "@/features/account/AccountDialog.vue";
import PreferencesDialog from "@/features/account/PreferencesDialog.vue";
import Notices from "@/ui/Notices.vue";
import { useNotices } from "@/ui/notices";
import NewSession from "./NewSession.vue";
import SessionTable from "./SessionTable.vue";
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

/** How many changes of each session have not been sent yet: they are, as soon as it is opened. */
const waiting = shallowRef(new Map<string, number>());

onMounted(async () => {
  void list.look();
  waiting.value = await letterBox().counted(account.me?.id ?? -1);
});

async function leave(): Promise<void> {
  await account.signOut();
  await router.push("/sign-in");
}

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
      <SessionTable
        v-if="shown.length"
        :waiting="waiting"
        :rows="shown"
        :sorted="list.sorted"
        @sort="list.sortBy"
        @copy="copy"
        @archive="list.put"
        @remove="list.destroy"
      />
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
@media (max-width: 700px) {
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
