<script setup lang="ts">
/** Where the copied move is put down: on which sources, at which times; places that are found are confirmed here. */
import { useSelection } from "@/session/selection";
import { Checkbox } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { latest } from "@/api/latest";
import { useChartView } from "@/session/view";
import { kindAndId } from "@/domain/owners";
import { useMoves, type PastePlace } from "@/session/moves";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import NumberField from "@/ui/NumberField.vue";

const session = useSession();
const player = usePlayer();
const selection = useSelection();
const view = useChartView();
const moves = useMoves();

type Where = "playhead" | "passages" | "bars" | "sound";
const WHERE: Record<Where, string> = {
  playhead: t("pastePart.atThePlayhead"),
  passages: t("pastePart.atEveryPassageNamed"),
  bars: t("pastePart.everyBars"),
  sound: t("pastePart.whereverTheSoundRecurs"),
};
const where = ref<Where>("playhead");
const name = ref(session.passages[0]?.name ?? "");
const every = ref(4);
const mirrored = ref(false);
const byBeats = ref(true);
const sources = ref<string[]>([]);
const found = ref<(PastePlace & { on: boolean })[]>([]);
const trouble = ref("");
const names = computed(() => [...new Set(session.passages.map((one) => one.name))]);
/** A move of a send, a return or a group is put down where it came from. */
const ofSource = computed(() => kindAndId(must(moves.clip).from.owner)[0] === "source");

/** Where the playhead stood last: while it plays, what is looked at stays where it is. */
const here = ref(player.playhead);
watch(
  () => player.playhead,
  (at) => !player.playing && (here.value = at),
);

const targets = computed(() => {
  const onto = ofSource.value && sources.value.length ? sources.value : [must(moves.clip).from.owner];
  const times =
    where.value === "playhead" ? [here.value] : found.value.filter((one) => one.on).map((one) => one.at);
  return onto.flatMap((owner) => times.map((at) => ({ owner, at })));
});

/** The sources that are chosen, to begin with; where the move came from, if none is. */
sources.value = ofSource.value ? [selection.chosen ?? must(moves.clip).from.owner] : [];

const turn = latest();
async function find(): Promise<void> {
  const isLast = turn();
  trouble.value = "";
  found.value = [];
  if (where.value === "playhead") return;
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
  [() => targets.value, () => mirrored.value, () => byBeats.value],
  () => {
    clearTimeout(timer);
    moves.outdate();
    timer = setTimeout(() => {
      if (targets.value.length) void moves.lookPasted(targets.value, mirrored.value, byBeats.value);
      else moves.leave();
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
      <option v-for="(title, key) in WHERE" :key="key" :value="key">{{ title }}</option>
    </select>
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
                : view.nameOf(sources[0] ?? must(moves.clip).from.owner),
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
