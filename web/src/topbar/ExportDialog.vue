<script setup lang="ts">
/** The mix as a WAV: sample for sample what is heard, with progress, and stopped at any time. */
import { Button, Modal, Progress } from "ant-design-vue";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { get, post, type Schemas } from "@/api/http";
import { useSession } from "@/session/session";

const open = defineModel<boolean>("open", { required: true });
const session = useSession();

type Format = Schemas["ExportIn"]["format"];
const formats: { value: Format; title: string }[] = [
  { value: "wav-float", title: "WAV, 32-bit float: exactly what is heard" },
  { value: "wav-24", title: "WAV, 24 bit" },
  { value: "wav-16", title: "WAV, 16 bit" },
  { value: "flac-24", title: "FLAC, 24 bit" },
];
const format = ref<Format>("wav-float");
const stretch = ref("");
const job = ref<Schemas["ExportOut"] | null>(null);
const trouble = ref("");
let timer: ReturnType<typeof setTimeout> | undefined;

const base = computed(() => `/api/sessions/${session.id}/exports`);
const running = computed(() => job.value?.status === "waiting" || job.value?.status === "running");
const percent = computed(() => Math.round((job.value?.progress ?? 0) * 100));
const POLL_EVERY = 250;

async function start(): Promise<void> {
  trouble.value = "";
  const passage = session.passages.find((one) => one.id === stretch.value);
  try {
    job.value = await post<Schemas["ExportOut"]>(base.value, {
      revision: session.revision,
      format: format.value,
      ...(passage && {
        start: session.grid.secondsOfBeat(passage.start),
        end: session.grid.secondsOfBeat(passage.end),
      }),
    });
    follow();
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}

function follow(): void {
  clearTimeout(timer);
  timer = setTimeout(async () => {
    if (!job.value) return;
    try {
      job.value = await get<Schemas["ExportOut"]>(`${base.value}/${job.value.id}`);
      trouble.value = "";
    } catch (error) {
      trouble.value = `${(error as Error).message} The export goes on meanwhile.`;
    }
    if (running.value) follow();
  }, POLL_EVERY);
}

async function cancel(): Promise<void> {
  if (job.value) job.value = await post<Schemas["ExportOut"]>(`${base.value}/${job.value.id}/cancel`);
}

watch(open, (now) => now && !running.value && (job.value = null));
onBeforeUnmount(() => clearTimeout(timer));
</script>

<template>
  <Modal v-model:open="open" title="Export the mix" :footer="null" :width="460">
    <fieldset :disabled="running">
      <label>
        <span>What</span>
        <select v-model="stretch">
          <option value="">the whole piece</option>
          <option v-for="passage in session.passages" :key="passage.id" :value="passage.id">
            {{ passage.name }}
          </option>
        </select>
      </label>
      <label>
        <span>As</span>
        <select v-model="format">
          <option v-for="one in formats" :key="one.value" :value="one.value">{{ one.title }}</option>
        </select>
      </label>
    </fieldset>
    <p class="quiet">
      Revision {{ job?.revision ?? session.revision }} of the session, with everybody's changes and without
      your personal solo. You can go on working meanwhile.
    </p>
    <div v-if="job" class="job" role="status">
      <Progress
        :percent="percent"
        :status="job.status === 'done' ? 'success' : running ? 'active' : 'exception'"
        stroke-color="#1f6f78"
        :stroke-width="6"
      />
      <p v-if="job.status === 'cancelled'">Stopped. Nothing was kept.</p>
      <p v-if="job.status === 'failed'">{{ job.message }}</p>
      <p v-if="job.clipped" class="clipped">
        {{ job.clipped }} samples are over full scale{{
          job.format === "wav-float" ? " (a float file keeps them)" : " and were cut off: lower the levels"
        }}.
      </p>
    </div>
    <p v-if="trouble" role="alert">{{ trouble }}</p>
    <div class="buttons">
      <Button v-if="running" @click="cancel">Stop</Button>
      <Button v-else :type="job?.status === 'done' ? 'default' : 'primary'" @click="start">
        {{ job ? "Export again" : "Export" }}
      </Button>
      <Button v-if="job?.status === 'done'" type="primary" :href="`${base}/${job.id}/file`" download
        >Download</Button
      >
    </div>
  </Modal>
</template>

<style scoped>
fieldset {
  display: grid;
  gap: 8px;
  margin: 12px 0;
  padding: 0;
  border: 0;
}
label {
  display: grid;
  grid-template-columns: 60px 1fr;
  align-items: center;
}
select {
  height: 32px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.job {
  margin-top: 12px;
}
.clipped {
  font-weight: 600;
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 18px;
}
</style>
