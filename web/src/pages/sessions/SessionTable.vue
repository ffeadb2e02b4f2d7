<script setup lang="ts">
/** The table of sessions: what each is, and what can be done with it. */
import { t } from "@/words";
import { Button, Popconfirm } from "ant-design-vue";
import { useRouter } from "vue-router";
import { clockText } from "@/domain/grid";
import { initials, inkOf, personColour } from "@/ui/theme";
import { momentText } from "@/ui/moment";
import type { Order, SessionRow } from "./sessions";

defineProps<{
  rows: SessionRow[];
  /** How many changes of each session wait to be sent. */
  waiting: Map<string, number>;
  sorted: (by: Order) => "ascending" | "descending" | "none";
}>();
defineEmits<{
  sort: [by: Order];
  copy: [row: SessionRow];
  archive: [row: SessionRow, archived: boolean];
  remove: [row: SessionRow];
}>();
const router = useRouter();

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
</script>

<template>
  <table>
    <thead class="heading">
      <tr>
        <th
          v-for="column in COLUMNS"
          :key="column.title"
          :aria-sort="column.by ? sorted(column.by) : undefined"
        >
          <button v-if="column.by" class="sort" @click="$emit('sort', column.by)">
            {{ column.title }}
            <span aria-hidden="true">{{
              { ascending: "↑", descending: "↓", none: "" }[sorted(column.by)]
            }}</span>
          </button>
          <template v-else-if="column.title">{{ column.title }}</template>
          <span v-else class="hidden-label">{{ $t("sessionList.actions") }}</span>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.id" @click="router.push(`/sessions/${row.id}`)">
        <td>
          <RouterLink :to="`/sessions/${row.id}`" @click.stop>{{ row.name }}</RouterLink>
          <span class="quiet">{{
            $t("sessionList.bpmBpmLayoutTextRevisionRevision", {
              bpm: row.bpm,
              layoutText: layoutText(row.layout),
              revision: row.revision,
            })
          }}</span>
          <b v-if="waiting.get(row.id)" class="waits" role="status">{{
            $t("sessionList.changesWait", { count: waiting.get(row.id) ?? 0 }, waiting.get(row.id) ?? 0)
          }}</b>
        </td>
        <td>
          <svg class="field" viewBox="-104 0 208 26" aria-hidden="true">
            <path class="axis" d="M-100 21H100M0 17V25M-100 18V24M100 18V24" />
            <path
              v-for="(place, i) in row.places"
              :key="i"
              :fill="inkOf(place.colour)"
              :transform="`translate(${place.pan * 100} 0)`"
              d="M0 4 4.500 18H-4.500Z"
            />
          </svg>
        </td>
        <td class="number">{{ clockText(row.length).slice(0, -2) }}</td>
        <td class="number">{{ row.sources }}</td>
        <td class="people">
          <span
            v-for="person in row.people"
            :key="person.id"
            class="face"
            role="img"
            :style="{ background: personColour(person.colour) }"
            :aria-label="`${person.name}, ${person.role}`"
            :title="`${person.name}, ${person.role}`"
            >{{ initials(person.name) }}</span
          >
        </td>
        <td class="number">{{ momentText(row.changed_at) }}</td>
        <td>{{ row.role }}</td>
        <td class="acts" @click.stop>
          <Button
            v-if="row.role !== 'listener'"
            type="link"
            size="small"
            :aria-label="$t('sessionList.copyName', { name: row.name })"
            :title="$t('sessionList.aNewSessionOfYour')"
            @click="$emit('copy', row)"
          >
            {{ $t("sessionList.copy") }}
          </Button>
          <Button
            type="link"
            size="small"
            :aria-label="
              $t(row.archived ? 'sessionList.restoreName' : 'sessionList.archiveName', { name: row.name })
            "
            :title="$t('sessionList.onlyInYourOwnList')"
            @click="$emit('archive', row, !row.archived)"
          >
            {{ row.archived ? $t("sessionList.restore2") : $t("sessionList.archive") }}
          </Button>
          <Popconfirm
            v-if="row.role === 'owner'"
            placement="left"
            :ok-text="$t('sessionList.delete')"
            :cancel-text="$t('sessionList.cancel2')"
            :ok-button-props="{ danger: true }"
            :title="$t('sessionList.deleteNameForEverybodyIn', { name: row.name })"
            @confirm="$emit('remove', row)"
          >
            <template #description>
              <p class="warning">
                {{ $t("sessionList.itsHistoryCommentsAndExports") }}
                <RouterLink :to="`/sessions/${row.id}/hand-over`">{{
                  $t("sessionList.exportABundleFirst")
                }}</RouterLink>
                {{ $t("sessionList.toKeepACopy") }}
              </p>
            </template>
            <Button
              type="link"
              size="small"
              :aria-label="$t('sessionList.deleteName', { name: row.name })"
              :title="$t('sessionList.forEverybodyInIt')"
            >
              {{ $t("sessionList.delete2") }}
            </Button>
          </Popconfirm>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.waits {
  display: block;
  font-size: 12px;
}
.warning {
  max-width: 300px;
  margin: 0;
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
}
</style>
