<script setup lang="ts">
/** The balance report: of the piece, a passage, or a finished file that is dropped in; as a page, JSON and CSV. */
import { useAsked } from "@/api/asked";
import { sentences, t } from "@/words";
import { Button, Checkbox, Modal, Progress } from "ant-design-vue";
import { computed, onBeforeUnmount, reactive, ref, watch } from "vue";
import { useAttempt } from "@/api/attempt";
import { get, post, type Schemas } from "@/api/http";
import { sendFile, type Sent } from "@/features/import/sending";
import { useTolerance } from "@/audio/lean";
import { useSession } from "@/session/session";
import { useTarget } from "@/audio/target";
import NumberField from "@/ui/NumberField.vue";
import { palette } from "@/ui/palette";

type Report = Schemas["ReportOut"];

const open = defineModel<boolean>("open", { required: true });
const session = useSession();
const tolerance = useTolerance();
const target = useTarget();

const passage = ref("");
const against = ref(true);
/** An earlier revision, or null for the latest. */
const revision = ref<number | null>(null);
const report = ref<Report | null>(null);
const sent = ref<Sent | null>(null);
const { answer: reports, again: look } = useAsked<Report[]>(() =>
  open.value ? `${base.value}/reports` : null,
);
const earlier = computed(() => (reports.value ?? []).filter((one) => one.status === "done"));
const { trouble, busy: asking, attempt } = useAttempt();
const over = ref(false);
const LOOK_EVERY = 250;
let timer: ReturnType<typeof setTimeout> | undefined;

const base = computed(() => `/api/sessions/${session.id}`);
const options = computed(() => ({
  tolerance_db: tolerance.db,
  tolerance_seconds: tolerance.seconds,
  target: against.value ? target.name : "",
}));
const sending = computed(
  () => !!sent.value && ["waiting", "receiving", "away", "reading"].includes(sent.value.status),
);
const running = computed(
  () => sending.value || (!!report.value && ["waiting", "running"].includes(report.value.status)),
);
const percent = computed(() => {
  if (sent.value && sending.value && sent.value.status !== "reading")
    return Math.round(sent.value.share * 50);
  const done = Math.round((report.value?.progress ?? 0) * 100);
  return sent.value ? 50 + Math.round(done / 2) : done;
});
const what = computed(() => {
  if (sent.value && sending.value)
    return t(sent.value.status === "reading" ? "reportDialog.measuringFile" : "reportDialog.sendingFile", {
      file: sent.value.file.name,
    });
  return report.value ? report.value.title : "";
});

const make = (): Promise<boolean> =>
  attempt(async () => {
    sent.value = null;
    const of = revision.value ?? (await session.settled());
    const part = session.passages.find((one) => one.id === passage.value);
    const title = `${session.settings?.name ?? ""}${part ? `, ${part.name}` : ""}`;
    report.value = await post<Report>(`${base.value}/reports`, {
      ...options.value,
      title,
      revision: of,
      ...(part && {
        start: session.grid.secondsOfBeat(part.start),
        end: session.grid.secondsOfBeat(part.end),
      }),
    });
    follow(report.value.id);
  });

async function measureFile(file: File | undefined): Promise<void> {
  over.value = false;
  if (!file || running.value) return;
  trouble.value = "";
  report.value = null;
  const one = reactive<Sent>({
    base: `${base.value}/uploads`,
    file,
    status: "waiting",
    share: 0,
    trouble: "",
    notice: "",
    upload: null,
  });
  sent.value = one;
  one.status = "receiving";
  try {
    await sendFile(one, async (announced) => {
      const body = { ...announced, ...options.value };
      const started = await post<Schemas["ReportUploadOut"]>(`${base.value}/reports/uploads`, body);
      follow(started.report);
      return started.upload;
    });
    if (one.status === "failed") trouble.value = one.trouble;
  } catch (error) {
    if (!["cancelled"].includes(one.status)) trouble.value = (error as Error).message;
    one.status = "failed";
  }
}

function follow(id: string): void {
  clearTimeout(timer);
  timer = setTimeout(async () => {
    try {
      report.value = await get<Report>(`${base.value}/reports/${id}`);
      trouble.value = "";
    } catch (error) {
      trouble.value = t("reportDialog.messageTheReportIsStill", { message: (error as Error).message });
    }
    if (!report.value || ["waiting", "running"].includes(report.value.status)) follow(id);
    else void look();
  }, LOOK_EVERY);
}

async function stop(): Promise<void> {
  if (sent.value) {
    sent.value.status = "cancelled";
    if (sent.value.upload)
      await post(`${base.value}/uploads/${sent.value.upload.id}/cancel`).catch(() => undefined);
  } else if (report.value)
    report.value = await post<Report>(`${base.value}/reports/${report.value.id}/cancel`);
}

const address = (one: Report, form: string): string => `${base.value}/reports/${one.id}/${form}`;
const revisionText = (one: Report): string => (one.revision === null ? "file" : `r${one.revision}`);

watch(open, (now) => {
  if (!now) return;
  if (!running.value) report.value = sent.value = null;
});
onBeforeUnmount(() => clearTimeout(timer));
</script>

<template>
  <Modal v-model:open="open" :title="$t('reportDialog.balanceReport')" :footer="null" :width="520">
    <div
      @dragover.prevent.stop="over = true"
      @dragleave="over = false"
      @drop.prevent.stop="measureFile($event.dataTransfer?.files[0])"
    >
      <template v-if="session.mayEdit">
        <fieldset :disabled="running">
          <label>
            <span>{{ $t("reportDialog.of") }}</span>
            <select v-model="passage">
              <option value="">{{ $t("reportDialog.theWholePiece") }}</option>
              <option v-for="one in session.passages" :key="one.id" :value="one.id">{{ one.name }}</option>
            </select>
          </label>
          <div class="row">
            <span>{{ $t("reportDialog.at") }}</span>
            <NumberField
              :value="revision ?? session.revision"
              :label="$t('reportDialog.revision')"
              :low="0"
              :high="session.revision"
              :step="1"
              :initial="session.revision"
              @set="revision = $event === session.revision ? null : $event"
            />
            <span class="quiet">{{
              $t("reportDialog.revisionRevision", {
                revision:
                  revision === null
                    ? $t("reportDialog.theLatest")
                    : $t("reportDialog.ofRevision", { revision: session.revision }),
              })
            }}</span>
          </div>
          <Checkbox v-model:checked="against" class="check">
            {{
              $t("reportDialog.againstTheTargetTitleLufs", {
                title: target.target?.title,
                lufs: target.target?.lufs,
              })
            }}</Checkbox
          >
          <p class="quiet">
            {{ $t("reportDialog.overToleranceMoreThanDb", { db: tolerance.db, seconds: tolerance.seconds }) }}
          </p>
        </fieldset>
        <div class="file" :class="{ over }">
          <p>{{ $t("reportDialog.orOfAFinishedFile") }}</p>
          <label class="pick small-button wide">
            {{ $t("reportDialog.chooseAFile") }}
            <input
              type="file"
              accept="audio/*,.wav,.flac,.aif,.aiff,.ogg,.mp3"
              :disabled="running"
              @change="measureFile(($event.target as HTMLInputElement).files?.[0])"
            />
          </label>
        </div>
      </template>
      <div v-if="report || sent" class="job" role="status">
        <p>{{ what }}</p>
        <Progress
          :percent="percent"
          :status="report?.status === 'done' ? 'success' : running ? 'active' : 'exception'"
          :stroke-color="palette.right"
          :stroke-width="6"
        />
        <p v-if="report?.status === 'cancelled' || sent?.status === 'cancelled'">
          {{ $t("reportDialog.cancelledNoReportWasMade") }}
        </p>
        <p v-if="report?.status === 'failed'">{{ sentences(report.messages) }}</p>
      </div>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <div class="buttons">
        <Button v-if="running" @click="stop">{{ $t("reportDialog.cancel") }}</Button>
        <Button
          v-else-if="session.mayEdit"
          :type="report?.status === 'done' ? 'default' : 'primary'"
          :loading="asking"
          @click="make"
        >
          {{ $t("reportDialog.createReport") }}
        </Button>
        <Button
          v-if="report?.status === 'done'"
          type="primary"
          :href="address(report, 'page')"
          target="_blank"
        >
          {{ $t("reportDialog.openReport") }}
        </Button>
      </div>
      <section v-if="earlier.length">
        <h3 class="heading">{{ $t("reportDialog.reports") }}</h3>
        <ul>
          <li v-for="one in earlier" :key="one.id">
            <a :href="address(one, 'page')" target="_blank">{{ one.title }}</a>
            <span class="quiet number">{{ revisionText(one) }}</span>
            <a :href="address(one, 'json')" download>{{ $t("reportDialog.jSON") }}</a>
            <a :href="address(one, 'curves')" download>{{ $t("reportDialog.curvesCSV") }}</a>
            <a :href="address(one, 'sources')" download>{{ $t("reportDialog.sourcesCSV") }}</a>
          </li>
        </ul>
      </section>
    </div>
  </Modal>
</template>

<style scoped>
fieldset {
  display: grid;
  gap: 7px;
  margin: 12px 0;
  padding: 0;
  border: 0;
}
fieldset label {
  display: grid;
  grid-template-columns: 40px 1fr;
  align-items: center;
}
fieldset .row {
  display: grid;
  grid-template-columns: 40px 80px 1fr;
  align-items: center;
}
fieldset .check {
  grid-template-columns: 20px 1fr;
}
select {
  height: 32px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.file {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 10px;
  padding: 12px 14px;
  border: 1px dashed var(--rule-strong);
  border-radius: 4px;
}
.file.over {
  border: 2px dashed var(--lamp);
  background: var(--lamp-wash);
}
.pick {
  flex: none;
}
.pick input {
  position: absolute;
  width: 1px;
  height: 1px;
  opacity: 0;
}
.pick:focus-within {
  outline: 2px solid var(--lamp);
}
.job {
  margin-top: 14px;
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 16px;
}
section {
  margin-top: 16px;
}
ul {
  max-height: 180px;
  margin: 4px 0 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 44px auto auto auto;
  gap: 10px;
  padding: 3px 0;
  border-top: 1px solid var(--rule);
}
li a {
  color: var(--right);
}
</style>
