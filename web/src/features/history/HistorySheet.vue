<script setup lang="ts">
/** The history in place of the details: a readable log, an earlier revision against the present, named versions. */
import { useSelection } from "@/session/selection";
import { Button, Input } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed, nextTick, onBeforeUnmount, onMounted, ref } from "vue";
import { useMoves } from "@/session/moves";
import { useConflicts } from "./conflicts";
import { useSession } from "@/session/session";
import { usePeople } from "@/features/people/people";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { decibels } from "@/domain/format";
import { dayText, timeText } from "@/ui/moment";
import SideSheet from "@/ui/SideSheet.vue";
import { BETWEEN_DAYS, useHistory } from "./history";

defineEmits<{ close: [] }>();
const session = useSession();
const history = useHistory();
const conflicts = useConflicts();
const people = usePeople();
const monitor = useMonitor();
const player = usePlayer();
const selection = useSelection();
const moves = useMoves();
const called = ref("");
const naming = ref(false);
const nameField = ref<HTMLInputElement>();
const TIMES = [
  { hours: 0, title: t("historySheet.fromTheBeginning") },
  { hours: 1, title: t("historySheet.theLastHour") },
  { hours: 8, title: t("historySheet.theLast8Hours") },
  { hours: 24 * 7, title: t("historySheet.theLastWeek") },
  { hours: BETWEEN_DAYS, title: t("historySheet.betweenTwoDays") },
];

onMounted(() => {
  void history.look();
  void people.look();
});
onBeforeUnmount(() => history.close());

const versionOf = computed(() => new Map(history.versions.map((one) => [one.revision, one])));
/** Rows under the days on which they were made. */
const days = computed(() => {
  const found: { day: string; rows: typeof history.rows }[] = [];
  for (const row of history.rows) {
    const day = dayText(row.created_at);
    if (found.at(-1)?.day === day) must(found.at(-1)).rows.push(row);
    else found.push({ day, rows: [row] });
  }
  return found;
});
const chosen = computed(() => history.compared?.revision);
const own = computed(() => session.sourceById(selection.chosen));
/** The stretch that is picked on the chart, or else what one goes round. */
const span = computed(() => moves.span ?? player.roundSpan);
const spanText = computed(() =>
  span.value ? `${session.grid.text(span.value.start)}–${session.grid.text(span.value.end)}` : "",
);
const differsOwn = computed(() =>
  history.compared?.differences.some((one) => one.source === selection.chosen),
);

async function beginNaming(): Promise<void> {
  naming.value = true;
  called.value = versionOf.value.get(must(chosen.value))?.name ?? "";
  await nextTick();
  nameField.value?.focus();
}

async function name(): Promise<void> {
  if (!called.value.trim() || chosen.value === undefined) return;
  await history.name(chosen.value, called.value.trim());
  naming.value = false;
}
</script>

<template>
  <SideSheet :title="$t('historySheet.history')" :trouble="history.trouble" @close="$emit('close')">
    <div class="filters">
      <select v-model="history.author" :aria-label="$t('historySheet.changesBy')">
        <option :value="0">{{ $t("historySheet.everybody") }}</option>
        <option v-for="one in people.members" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
      <select v-model="history.source" :aria-label="$t('historySheet.source')">
        <option value="">{{ $t("historySheet.allSources") }}</option>
        <option v-for="one in session.sources" :key="one.id" :value="one.id">{{ one.name }}</option>
      </select>
      <select v-model="history.hours" class="times" :aria-label="$t('historySheet.sinceWhen')">
        <option v-for="one in TIMES" :key="one.hours" :value="one.hours">{{ one.title }}</option>
      </select>
      <div v-if="history.hours === BETWEEN_DAYS" class="times days">
        <input
          v-model="history.first"
          type="date"
          :max="history.last || undefined"
          :aria-label="$t('historySheet.firstDay')"
        />
        {{ $t("historySheet.to") }}
        <input
          v-model="history.last"
          type="date"
          :min="history.first || undefined"
          :aria-label="$t('historySheet.lastDay')"
        />
      </div>
    </div>

    <section v-if="history.compared" class="compared" :aria-label="$t('historySheet.compare')">
      <h3>
        {{ $t("historySheet.rRevisionAgainstThePresent", { revision: history.compared.revision }) }}
        <span v-if="versionOf.get(history.compared.revision)" class="tag">{{
          must(versionOf.get(history.compared.revision)).name
        }}</span>
      </h3>
      <div class="line">
        <Button
          size="small"
          class="lit"
          :aria-pressed="monitor.comparing"
          @click="monitor.compare(!monitor.comparing)"
        >
          {{ $t("historySheet.compareRRevisionB", { revision: history.compared.revision }) }}
        </Button>
        <span class="quiet loud" role="status">{{
          history.matching < 1
            ? $t("historySheet.matchingLoudnessMatching", { matching: Math.round(history.matching * 100) })
            : history.matched
              ? $t("historySheet.loudnessMatchedDecibelsDB", { decibels: decibels(history.trim) })
              : $t("historySheet.loudnessNotMatched")
        }}</span>
        <Button size="small" @click="history.leave()">{{ $t("historySheet.close") }}</Button>
      </div>
      <ul v-if="history.compared.differences.length" class="differences">
        <li v-for="one in history.compared.differences" :key="`${one.part}/${one.key}`">
          <b>{{ one.name }}</b>
          <span class="was">{{ one.then || $t("historySheet.notThere") }}</span>
          <span class="is">{{ one.now || $t("historySheet.notThere") }}</span>
        </li>
      </ul>
      <p v-else class="quiet">{{ $t("historySheet.noDifferencesTheSessionIs") }}</p>
      <div v-if="session.mayEdit && history.compared.differences.length" class="restore">
        <Button
          type="primary"
          size="small"
          @click="history.restore({}, $t('historySheet.everythingAsIn', { revision: chosen }))"
        >
          {{ $t("historySheet.restoreAll") }}
        </Button>
        <Button
          v-if="own && differsOwn"
          size="small"
          @click="
            history.restore(
              { source: own.id },
              $t('historySheet.sourceAsIn', { name: own.name, revision: chosen }),
            )
          "
        >
          {{ $t("historySheet.onlyName", { name: own.name }) }}
        </Button>
        <Button
          v-if="span"
          size="small"
          @click="
            history.restore(
              { start: span.start, end: span.end },
              $t('historySheet.barsAsIn', { bars: spanText, revision: chosen }),
            )
          "
        >
          {{ $t("historySheet.onlyMovesInSpanText", { spanText: spanText }) }}
        </Button>
        <p class="quiet">{{ $t("historySheet.thisIsANewChange") }}</p>
      </div>
      <form v-if="naming" class="line" @submit.prevent="name">
        <Input
          ref="nameField"
          v-model:value="called"
          :maxlength="120"
          :aria-label="$t('historySheet.nameOfTheVersion')"
        />
        <Button size="small" html-type="submit">{{ $t("historySheet.save") }}</Button>
      </form>
      <Button v-else-if="session.mayEdit" type="link" size="small" @click="beginNaming">
        {{ $t("historySheet.nameThisVersion") }}
      </Button>
    </section>

    <section
      v-if="history.versions.length && !history.compared"
      :aria-label="$t('historySheet.namedVersions')"
    >
      <h3 class="heading">{{ $t("historySheet.namedVersions") }}</h3>
      <ul class="versions">
        <li v-for="one in history.versions" :key="one.id">
          <Button type="link" size="small" @click="history.choose(one.revision)">{{ one.name }}</Button>
          <span class="quiet number">r{{ one.revision }} · {{ one.author }}</span>
          <Button
            v-if="session.mayEdit"
            size="small"
            :aria-label="$t('historySheet.removeTheNameName', { name: one.name })"
            @click="history.unname(one.id)"
          >
            ×
          </Button>
        </li>
      </ul>
    </section>

    <section v-for="{ day, rows } in days" :key="day" :aria-label="day">
      <h3 class="heading">{{ day }}</h3>
      <ol class="log">
        <li
          v-for="row in rows"
          :key="row.revision"
          :class="{ undone: row.undone, chosen: row.revision === chosen }"
        >
          <button :aria-pressed="row.revision === chosen" @click="history.choose(row.revision)">
            <span class="when number">{{ timeText(row.created_at) }}</span>
            <span class="what">
              <span class="said">{{ row.summary }}</span>
              <span v-if="versionOf.get(row.revision)" class="tag">{{
                must(versionOf.get(row.revision)).name
              }}</span>
              <small class="quiet">
                {{ row.author.name }} · r{{ row.revision }}{{ row.undone ? $t("historySheet.undone") : ""
                }}{{
                  row.overwrote.length
                    ? $t("historySheet.overwroteNameS", { name: must(row.overwrote.at(-1)).author.name })
                    : ""
                }}
              </small>
            </span>
          </button>
          <p v-for="one in session.mayEdit ? row.overwrote : []" :key="one.revision" class="over">
            {{ $t("historySheet.overwroteSummary", { summary: one.summary }) }}
            <Button type="link" size="small" @click="conflicts.putBack(one, row.revision)">
              {{ $t("historySheet.restore") }}
            </Button>
          </p>
        </li>
      </ol>
    </section>
    <Button v-if="history.more" size="small" :disabled="history.busy" @click="history.lookFurther()">
      {{ $t("historySheet.showEarlier") }}
    </Button>
    <p v-if="!history.rows.length && !history.busy" class="quiet">
      {{ $t("historySheet.noChangeMatchesChooseAnother") }}
    </p>
  </SideSheet>
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
}
.compared h3 {
  font-size: 14px;
}
.filters {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
}
.filters .times {
  grid-column: 1 / -1;
}
.days {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
ul,
ol {
  margin: 0;
  padding: 0;
  list-style: none;
}
.log li button {
  display: flex;
  gap: 9px;
  width: 100%;
  padding: 5px 4px;
  border: 0;
  border-bottom: 1px solid var(--rule);
  background: none;
  text-align: left;
  cursor: pointer;
}
.log li button:hover,
.log .chosen button {
  background: var(--lamp-wash);
}
.when {
  flex: none;
  font-size: 11.5px;
  line-height: 20px;
  color: var(--quiet);
}
.what {
  min-width: 0;
  overflow-wrap: anywhere;
}
.what small {
  display: block;
  font-size: 11.5px;
}
.over {
  padding: 0 4px 4px 68px;
  font-size: 11.5px;
}
.undone .said {
  text-decoration: line-through;
  color: var(--quiet);
}
.tag {
  display: inline-block;
  margin-left: 5px;
  padding: 0 5px;
  border: 1px solid var(--lamp);
  border-radius: 3px;
  font-size: 11px;
  font-weight: 600;
}
.compared {
  display: grid;
  gap: 8px;
  padding: 10px;
  background: var(--raised);
  border: 1px solid var(--lamp);
  border-radius: 3px;
}
.loud {
  flex: 1;
  font-size: 12px;
}
.differences {
  max-height: 220px;
  overflow-y: auto;
}
.differences li {
  display: grid;
  grid-template-columns: 1fr 1fr;
  column-gap: 8px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
  font-size: 12.5px;
}
.differences b {
  grid-column: 1 / -1;
  font-weight: 600;
}
.was::before {
  content: "then ";
  color: var(--quiet);
}
.is::before {
  content: "now ";
  color: var(--quiet);
}
.restore {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.restore p {
  width: 100%;
  font-size: 12px;
}
.versions li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 3px 0;
}
.versions .quiet {
  flex: 1;
  font-size: 12px;
}
.ant-btn-link {
  justify-self: start;
}
</style>
