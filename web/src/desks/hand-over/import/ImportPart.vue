<script setup lang="ts">
/** Moves from a file (CSV, JSON, MIDI): each lane that was found, and where it lands. */
import { sentence } from "@/words";
import type { Parameter } from "@/domain/model";
import { Button, Modal } from "ant-design-vue";
import { computed, ref } from "vue";
import { FACES } from "@/domain/parameters";
import { kindAndId } from "@/domain/owners";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { useImporting, type Landable, type Row } from "./importing";

const session = useSession();
const monitor = useMonitor();
const landing = useImporting();
const chooser = ref<HTMLInputElement>();
const over = ref(false);

const GROUPS = ["Sources", "Returns", "Groups", "Others"];
const groupOf = ({ owner: source }: Landable): string =>
  ({ source: "Sources", return: "Returns", group: "Groups" })[kindAndId(source)[0] as string] ?? "Others";
const groups = computed(() =>
  GROUPS.map((title) => ({ title, places: landing.places.filter((one) => groupOf(one) === title) })),
);
const titleOf = (parameter: string): string => FACES[parameter as Parameter]?.title ?? parameter;

function text(row: Row, value: number): string {
  const face = FACES[(row.to in FACES ? row.to : "pan") as Parameter];
  return value >= face.low && value <= face.high ? face.text(value) : value.toPrecision(3);
}
const where = (row: Row): string =>
  `${session.grid.barsText(row.start, Math.max(row.end, row.start + 0.001))}, ${text(row, row.low)}${row.high > row.low ? ` … ${text(row, row.high)}` : ""}`;

function take(files: FileList | null | undefined): void {
  over.value = false;
  const [file] = files ?? [];
  if (file) void landing.open(file);
}
function choose(event: Event): void {
  const field = event.target as HTMLInputElement;
  take(field.files);
  field.value = "";
}
</script>

<template>
  <div
    class="land"
    :class="{ over }"
    @dragover.prevent.stop="over = true"
    @dragleave="over = false"
    @drop.prevent.stop="take($event.dataTransfer?.files)"
  >
    <Button size="small" :disabled="landing.busy" @click="chooser?.click()">
      {{ $t("importPart.importAutomation") }}
    </Button>
    <input
      ref="chooser"
      class="hidden-label"
      type="file"
      accept=".csv,.json,.mid,.midi"
      tabindex="-1"
      :aria-label="$t('importPart.automationFile')"
      @change="choose"
    />
    <span class="quiet">{{ $t("importPart.cSVJSONOrMIDICC") }}</span>
    <p v-if="landing.trouble && !landing.file" class="trouble" role="alert">{{ landing.trouble }}</p>
  </div>
  <Modal
    :open="!!landing.file"
    :title="$t('importPart.automationFromLanding', { landing: landing.file?.name ?? '' })"
    :footer="null"
    :width="680"
    @cancel="landing.leave()"
  >
    <p class="quiet">
      {{ $t("importPart.countFound", { count: landing.rows.length }, landing.rows.length) }}
    </p>
    <div class="table">
      <table>
        <thead class="heading">
          <tr>
            <th>{{ $t("importPart.inTheFile") }}</th>
            <th>{{ $t("importPart.goesTo") }}</th>
            <th>{{ $t("importPart.as") }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in landing.rows" :key="row.index" :class="{ out: !row.owner }">
            <td>
              <b>{{ row.name || $t("importPart.unnamed") }}</b>
              <span class="quiet number"
                >{{ $t("importPart.countPoints", { count: row.points }, row.points) }}, {{ where(row) }}</span
              >
              <span v-for="note in row.notes" :key="note.text" class="quiet">{{ sentence(note) }}</span>
            </td>
            <td>
              <select
                :value="row.owner"
                :aria-label="$t('importPart.whereRowGoes', { row: row.name || $t('importPart.thisLane') })"
                @change="landing.land(row, ($event.target as HTMLSelectElement).value)"
              >
                <option value="">{{ $t("importPart.skip") }}</option>
                <template v-for="group in groups" :key="group.title">
                  <optgroup v-if="group.places.length" :label="group.title">
                    <option v-for="one in group.places" :key="one.owner" :value="one.owner">
                      {{ one.name }}
                    </option>
                  </optgroup>
                </template>
              </select>
            </td>
            <td>
              <select
                v-model="row.to"
                :disabled="!row.owner"
                :aria-label="$t('importPart.parameterForRow', { row: row.name || 'it' })"
              >
                <option v-for="one in landing.parametersOf(row)" :key="one" :value="one">
                  {{ titleOf(one) }}
                </option>
              </select>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="how">
      <label
        ><input v-model="landing.over" type="radio" value="stretch" />
        {{ $t("importPart.replaceTheRangeThatIt") }}</label
      >
      <label
        ><input v-model="landing.over" type="radio" value="all" />
        {{ $t("importPart.replaceTheWholeLane") }}</label
      >
      <label
        >{{ $t("importPart.startsAtBar") }}
        <input
          v-model.number="landing.bar"
          class="number"
          type="number"
          min="1"
          :max="session.grid.bars.length"
      /></label>
    </div>
    <p v-if="landing.trouble" class="trouble" role="alert">{{ landing.trouble }}</p>
    <p v-else-if="landing.draft" role="status">
      {{ $t("importPart.summaryReadyToPreviewAnd", { summary: landing.draft.summary }) }}
    </p>
    <div class="buttons">
      <Button size="small" @click="landing.leave()">{{ $t("importPart.cancel") }}</Button>
      <Button
        v-if="landing.draft"
        size="small"
        class="lit"
        :aria-pressed="monitor.comparing"
        :title="$t('importPart.compareItOnlyForYou')"
        @click="monitor.compare(!monitor.comparing)"
      >
        {{ $t("importPart.compareB") }}
      </Button>
      <Button v-if="landing.draft" type="primary" size="small" @click="landing.apply()">
        {{ $t("importPart.apply") }}
      </Button>
      <Button
        v-else
        type="primary"
        size="small"
        :disabled="!landing.landing.length || landing.busy"
        @click="landing.look()"
      >
        {{
          $t("importPart.previewLanding", {
            landing:
              landing.landing.length === 1
                ? "it"
                : $t("importPart.theseLanes", { count: landing.landing.length }),
          })
        }}
      </Button>
    </div>
  </Modal>
</template>

<style scoped>
.land {
  display: grid;
  gap: 4px;
  justify-items: start;
  width: 100%;
}
.land.over {
  outline: 2px dashed var(--lamp);
}
.quiet {
  font-size: 12.5px;
}
.table {
  max-height: 46vh;
  margin: 10px 0;
  overflow: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th,
td {
  padding: 6px 8px 6px 0;
  border-bottom: 1px solid var(--rule);
  text-align: left;
  vertical-align: top;
}
th {
  font-weight: 600;
}
td b,
td span {
  display: block;
}
.out b {
  color: var(--quiet);
  font-weight: 400;
}
select,
.how input[type="number"] {
  height: 28px;
  max-width: 190px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.how input[type="number"] {
  width: 64px;
}
.how {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
}
.buttons {
  display: flex;
  gap: 8px;
  justify-content: flex-end;
  margin-top: 14px;
}
.trouble {
  margin-top: 8px;
}
</style>
