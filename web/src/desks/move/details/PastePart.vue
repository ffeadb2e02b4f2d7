<script setup lang="ts">
/** Where the copied move is put down: on which sources, at which times; places that are found are confirmed here. */
import { Checkbox } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { latest } from "@/api/latest";
import { useChartView } from "@/session/view";
import { kindAndId } from "@/domain/owners";
import type { Parameter } from "@/domain/model";
import { FACES, isSameKind } from "@/domain/parameters";
import { useMoves, type PastePlace } from "@/session/moves";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import NumberField from "@/ui/NumberField.vue";

const session = useSession();
const player = usePlayer();
const view = useChartView();
const moves = useMoves();

type Where = "range" | "playhead" | "passages" | "bars" | "sound";
const WHERE: Record<Where, string> = {
  range: t("pastePart.atTheRange"),
  playhead: t("pastePart.atThePlayhead"),
  passages: t("pastePart.atEveryPassageNamed"),
  bars: t("pastePart.everyBars"),
  sound: t("pastePart.whereverTheSoundRecurs"),
};
const offered = computed(() =>
  (Object.keys(WHERE) as Where[]).filter((one) => one !== "range" || !!moves.span),
);
/** A range that is picked elsewhere than it was copied from is where it is to go. */
const isElsewhere = moves.span && moves.span.start !== must(moves.clip).clip.start;
const where = ref<Where>(isElsewhere ? "range" : "playhead");
watch(offered, (all) => !all.includes(where.value) && (where.value = "playhead"));
const name = ref(session.passages[0]?.name ?? "");
const every = ref(4);
const mirrored = ref(false);
const byBeats = ref(true);
const sources = ref<string[]>([]);
const found = ref<(PastePlace & { on: boolean })[]>([]);
const trouble = ref("");
const names = computed(() => [...new Set(session.passages.map((one) => one.name))]);
/** It goes to the line in view: of sources, or of the send, return, group or layer that is looked at. */
const owner = computed(() => view.lane?.owner ?? must(moves.clip).from.owner);
const ofSource = computed(() => kindAndId(owner.value)[0] === "source");

const titleOf = (name: string): string => FACES[name as Parameter].title;
const copied = computed(() => Object.keys(must(moves.clip).clip.lanes) as Parameter[]);
/** The lines that what was copied may go to: its own, where they are there, or the one in view. */
const lines = computed(() => {
  const shown = view.parameter;
  const has = view.lanesHere.filter((one) => one.owner === owner.value).map((one) => one.parameter);
  const own = copied.value.every((name) => has.includes(name))
    ? [{ key: "own", title: t("pastePart.asCopied", { lines: copied.value.map(titleOf).join(", ") }) }]
    : [];
  const shownOnly = copied.value
    .filter((name) => isSameKind(name, shown) && !(own.length && copied.value.length === 1 && name === shown))
    .map((name) => ({
      key: name,
      title:
        name === shown
          ? t("pastePart.onlyLine", { line: titleOf(name) })
          : t("pastePart.fromOnto", { from: titleOf(name), to: titleOf(shown) }),
    }));
  return [...own, ...shownOnly];
});
const isShownAmongCopied = computed(() => copied.value.includes(view.parameter));
/** Which of them; nothing where that is to be asked first. */
const line = ref("");
watch(
  [lines, () => view.parameter],
  ([all], before) => {
    if (before[0] && all.some((one) => one.key === line.value) && before[1] === view.parameter) return;
    const ontoShown = all.filter((one) => one.key !== "own");
    line.value =
      isShownAmongCopied.value && all[0] ? all[0].key : ontoShown.length === 1 ? must(ontoShown[0]).key : "";
  },
  { immediate: true },
);
const onto = computed(() => (line.value === "own" ? undefined : { [line.value]: view.parameter }));

/** Where the playhead stood last: while it plays, what is looked at stays where it is. */
const here = ref(player.playhead);
watch(
  () => player.playhead,
  (at) => !player.playing && (here.value = at),
);

const targets = computed(() => {
  if (!line.value) return [];
  const owners = ofSource.value && sources.value.length ? sources.value : [owner.value];
  const times =
    where.value === "range" && moves.span
      ? [moves.span.start]
      : where.value === "playhead"
        ? [here.value]
        : found.value.filter((one) => one.on).map((one) => one.at);
  return owners.flatMap((each) => times.map((at) => ({ owner: each, at })));
});

/** The source whose line is in view, to begin with. */
watch(owner, (one) => (sources.value = ofSource.value ? [one] : []), { immediate: true });

const turn = latest();
async function find(): Promise<void> {
  const isLast = turn();
  trouble.value = "";
  found.value = [];
  if (where.value === "playhead" || where.value === "range") return;
  try {
    const more = { name: name.value, every: String(every.value) };
    const places = await moves.places(where.value, more);
    if (!isLast()) return;
    found.value = places.map((one) => ({ ...one, on: true }));
    if (!found.value.length) trouble.value = t("pastePart.noSuchPositionWasFound");
  } catch (error) {
    if (isLast()) trouble.value = (error as Error).message;
  }
}
watch([where, name, every, () => moves.clip], find);

let timer: ReturnType<typeof setTimeout> | undefined;
watch(
  [() => targets.value, () => onto.value, () => mirrored.value, () => byBeats.value],
  () => {
    clearTimeout(timer);
    moves.outdate();
    timer = setTimeout(() => {
      if (targets.value.length)
        void moves.lookPasted(targets.value, onto.value, mirrored.value, byBeats.value);
      else moves.forget();
    }, 60);
  },
  { immediate: true, deep: true },
);
onBeforeUnmount(() => clearTimeout(timer));

function toggle(id: string): void {
  sources.value = sources.value.includes(id)
    ? sources.value.filter((one) => one !== id)
    : [...sources.value, id];
}
</script>

<template>
  <div class="paste">
    <p class="quiet">{{ $t("pastePart.automationOfSummary", { summary: must(moves.clip).summary }) }}</p>
    <select v-model="where" :aria-label="$t('pastePart.whereToPaste')">
      <option v-for="key in offered" :key="key" :value="key">{{ WHERE[key] }}</option>
    </select>
    <label v-if="lines.length > 1 || (lines.length && !isShownAmongCopied)" class="line">
      <span>{{ $t("pastePart.line") }}</span>
      <select v-model="line" :aria-label="$t('pastePart.lineItGoesTo')">
        <option v-if="!line" value="" disabled>{{ $t("pastePart.chooseALine") }}</option>
        <option v-for="one in lines" :key="one.key" :value="one.key">{{ one.title }}</option>
      </select>
    </label>
    <p v-if="!line" role="status" class="quiet">
      {{
        $t(lines.length ? "pastePart.otherKind" : "pastePart.nothingFits", {
          copied: copied.map(titleOf).join(", "),
          shown: titleOf(view.parameter),
        })
      }}
    </p>
    <select v-if="where === 'passages'" v-model="name" :aria-label="$t('pastePart.passagesNamed')">
      <option v-for="one in names" :key="one" :value="one">{{ one }}</option>
    </select>
    <NumberField
      v-if="where === 'bars'"
      :value="every"
      :label="$t('pastePart.numberOfBars')"
      :low="1"
      :high="999"
      :step="1"
      unit="bars"
      @set="every = Math.round($event)"
    />
    <ul v-if="found.length" class="found" :aria-label="$t('pastePart.positionsFound')">
      <li v-for="one in found" :key="one.at">
        <Checkbox v-model:checked="one.on"
          ><span class="number">{{ session.grid.text(one.at) }}</span>
          <span class="quiet"
            >{{ one.why }}{{ one.alike < 1 ? ` ${Math.round(one.alike * 100)} %` : "" }}</span
          ></Checkbox
        >
      </li>
    </ul>
    <p v-if="trouble" role="status" class="quiet">{{ trouble }}</p>
    <details v-if="ofSource" class="onto">
      <summary>
        {{
          $t("pastePart.onSources", {
            sources:
              sources.length > 1
                ? $t("pastePart.sourceCount", { count: sources.length }, sources.length)
                : view.nameOf(sources[0] ?? owner),
          })
        }}
      </summary>
      <Checkbox
        v-for="one in session.sources"
        :key="one.id"
        :checked="sources.includes(one.id)"
        @change="toggle(one.id)"
        ><span>{{ one.name }}</span></Checkbox
      >
    </details>
    <div class="row">
      <Checkbox v-model:checked="mirrored"> {{ $t("pastePart.mirrored") }}</Checkbox>
      <Checkbox v-model:checked="byBeats" :title="$t('pastePart.otherwiseAsManySeconds')">
        {{ $t("pastePart.asManyBeats") }}</Checkbox
      >
    </div>
  </div>
</template>

<style scoped>
.paste {
  display: flex;
  flex-direction: column;
  gap: 5px;
  font-size: 13px;
}
select {
  height: 26px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
ul {
  max-height: 110px;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
label {
  display: flex;
  align-items: center;
  gap: 6px;
}
.line select {
  flex: 1;
  min-width: 0;
}
.onto label {
  padding-left: 12px;
}
.onto summary {
  cursor: pointer;
}
.row {
  display: flex;
  gap: 14px;
}
</style>
