<script setup lang="ts">
/** Putting sources down on named seats: names dragged onto a picture of the field, from either side, in one step. */
import { useAsked } from "@/api/asked";
import { radioKey } from "@/ui/radioKeys";
import { must } from "@/domain/must";
import type { Source } from "@/domain/model";
import { Button, Modal } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { usePointerDrag } from "@/ui/pointerDrag";
import { post } from "@/api/http";
import { panText } from "@/domain/format";
import { operation, useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import NameForm from "@/ui/NameForm.vue";
import { say } from "@/ui/say";
import { inkOf } from "@/ui/theme";

interface Seat {
  name: string;
  pan: number;
  span: number;
}

const props = defineProps<{ sources: Source[] }>();
const open = defineModel<boolean>("open", { required: true });
const edits = useEdits();
const library = useLibrary();

const chosen = ref("drum-kit");
const fromPlayers = ref(false);
/** Which source sits where: seat → source id. */
const sitting = ref<Record<string, string>>({});
const picked = ref<string | null>(null);

const kept = computed(() => library.kept("seating"));
const own = computed(() => kept.value.find((preset) => preset.id === chosen.value));
const seating = computed<{ name: string; title: string; seats: Seat[] } | undefined>(() => {
  if (own.value) return { name: "", title: own.value.name, seats: own.value.content.seats as Seat[] };
  return library.library?.seatings.find((one) => one.name === chosen.value);
});
const seats = computed(() => {
  const rows: number[] = [];
  return [...(seating.value?.seats ?? [])]
    .map((seat) => ({ ...seat, at: fromPlayers.value ? -seat.pan : seat.pan }))
    .sort((a, b) => a.at - b.at)
    .map((seat) => {
      // Seats that would cover each other stand in rows behind one another.
      let row = rows.findIndex((end) => end < seat.at - 0.4);
      if (row < 0) row = rows.length;
      rows[row] = seat.at;
      return { ...seat, row };
    });
});
const height = computed(() => 60 + 58 * Math.max(...seats.value.map((seat) => seat.row + 1), 1));
const standing = computed(() =>
  props.sources.filter((source) => !Object.values(sitting.value).includes(source.id)),
);
const named = (id: string): Source | undefined => props.sources.find((source) => source.id === id);

/** What the sources were called when the dialog was opened: a colleague's renaming does not seat anybody anew. */
const names = ref<string[]>([]);
watch(
  open,
  (isOpen) => {
    if (isOpen) names.value = props.sources.map((source) => source.name);
  },
  { immediate: true },
);

/** Which seat fits whom, by their names. */
const { answer: matched, trouble } = useAsked<Record<string, string>>(
  () => {
    const chosenSeating = seating.value;
    if (!open.value || !chosenSeating) return null;
    const { name, seats } = chosenSeating;
    return JSON.stringify({ seating: name, seats: name ? [] : seats, names: names.value });
  },
  { ask: (body: string) => post("/api/seatings/match", JSON.parse(body)), holds: true },
);
watch(trouble, (sentence) => sentence && say.wrong(sentence));

/** Everybody sits where their name fits best. */
function match(by: Record<string, string>): void {
  sitting.value = Object.fromEntries(
    Object.entries(by).flatMap(([name, seat]) => {
      const source = props.sources.find((one) => one.name === name);
      return source ? [[seat, source.id]] : [];
    }),
  );
}

watch([open, matched], () => open.value && matched.value && match(matched.value), { immediate: true });

function sit(seat: string, source: string | null): void {
  if (!source) return;
  const others = Object.entries(sitting.value).filter(([at, id]) => id !== source && at !== seat);
  sitting.value = { ...Object.fromEntries(others), [seat]: source };
  picked.value = null;
}

/** A name is dragged onto a seat, from below or from another seat; a press without a way chooses it. */
const seatUnder = (event: PointerEvent): string | undefined =>
  document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>("[data-seat]")?.dataset.seat;
const over = ref<string | undefined>();
let dragged = false;
const drag = usePointerDrag<string>({
  start: (_, source) => !!source,
  move: (event) => {
    dragged = true;
    over.value = seatUnder(event);
  },
  end: (event, source) => {
    const seat = dragged ? seatUnder(event) : undefined;
    over.value = undefined;
    if (seat) sit(seat, source);
  },
  cancel: () => (over.value = undefined),
});
const dragging = computed(() => (over.value === undefined ? null : (drag.held.value?.subject ?? null)));

function down(event: PointerEvent, source = ""): void {
  dragged = false;
  drag.down(event, source);
}

function press(seat: string): void {
  if (dragged) return;
  if (picked.value) sit(seat, picked.value);
  else stand(seat);
}

function pick(source: string): void {
  if (!dragged) picked.value = picked.value === source ? null : source;
}

function stand(seat: string): void {
  sitting.value = Object.fromEntries(Object.entries(sitting.value).filter(([at]) => at !== seat));
}

function apply(): void {
  const found = Object.fromEntries(
    Object.entries(sitting.value).flatMap(([name, source]) => {
      const seat = seating.value?.seats.find((one) => one.name === name);
      return seat ? [[source, { name, pan: seat.pan, span: seat.span }]] : [];
    }),
  );
  edits.make(
    operation("seat-sources", {
      seating: must(seating.value).title,
      seats: found,
      from_players: fromPlayers.value,
    }),
  );
  open.value = false;
}

/** Where the chosen sources stand now, kept as a seating of one's own. */
async function keep(name: string): Promise<void> {
  const content = props.sources.map((source) => ({
    name: source.name,
    pan: source.mode === "sides" ? (source.pan_left + source.pan_right) / 2 : source.pan,
    span:
      source.mode === "sides"
        ? (source.pan_right - source.pan_left) / 2
        : source.mode === "span"
          ? source.span
          : 0,
  }));
  await library.keep("seating", name, { seats: content });
}
</script>

<template>
  <Modal v-model:open="open" :title="$t('seatingDialog.seatTheSelectedSources')" :footer="null" :width="760">
    <div class="top">
      <select v-model="chosen" :aria-label="$t('seatingDialog.seating')">
        <option v-for="one in library.library?.seatings" :key="one.name" :value="one.name">
          {{ one.title }}
        </option>
        <option v-for="preset in kept" :key="preset.id" :value="preset.id">
          {{ preset.name }} · {{ preset.mine ? $t("seatingDialog.yours") : preset.author }}
        </option>
      </select>
      <div class="sides" role="radiogroup" :aria-label="$t('seatingDialog.seenFrom')" @keydown="radioKey">
        <Button
          size="small"
          role="radio"
          :tabindex="fromPlayers ? -1 : 0"
          :aria-checked="!fromPlayers"
          @click="fromPlayers = false"
        >
          {{ $t("seatingDialog.fromTheListener") }}
        </Button>
        <Button
          size="small"
          role="radio"
          :tabindex="fromPlayers ? 0 : -1"
          :aria-checked="fromPlayers"
          @click="fromPlayers = true"
        >
          {{ $t("seatingDialog.fromThePlayers") }}
        </Button>
      </div>
    </div>
    <p class="quiet">{{ $t("seatingDialog.dragANameOntoA") }}</p>
    <div class="field" :style="{ height: `${height}px` }">
      <span class="end left">L</span><span class="centre" /><span class="end right">R</span>
      <button
        v-for="seat in seats"
        :key="seat.name"
        class="seat"
        :data-seat="seat.name"
        :class="{ taken: sitting[seat.name], over: over === seat.name }"
        :style="{ left: `calc(${((seat.at + 1) / 2) * 100}% * 0.86 + 7%)`, top: `${8 + seat.row * 58}px` }"
        :aria-label="
          $t('seatingDialog.seatNamePanTextSitting', {
            name: seat.name,
            panText: panText(seat.at),
            sitting: named(sitting[seat.name] ?? '')?.name ?? $t('seatingDialog.empty2'),
          })
        "
        v-on="drag.follow"
        @pointerdown="down($event, sitting[seat.name])"
        @click="press(seat.name)"
      >
        <small
          >{{ seat.name }} <span class="number">{{ panText(seat.at) }}</span></small
        >
        {{ " " }}
        <b
          v-if="sitting[seat.name]"
          :style="{ borderColor: inkOf(named(must(sitting[seat.name]))?.colour ?? 0) }"
          >{{ named(must(sitting[seat.name]))?.name }}</b
        >
        <i v-else>{{ $t("seatingDialog.empty2") }}</i>
      </button>
    </div>
    <div class="names" role="group" :aria-label="$t('seatingDialog.notSeated')">
      <span v-if="!standing.length" class="quiet">{{ $t("seatingDialog.allAreSeated") }}</span>
      <button
        v-for="source in standing"
        :key="source.id"
        class="name"
        :class="{ dragged: dragging === source.id }"
        :aria-pressed="picked === source.id"
        :style="{ borderColor: inkOf(source.colour) }"
        v-on="drag.follow"
        @pointerdown="down($event, source.id)"
        @click="pick(source.id)"
      >
        {{ source.name }}
      </button>
    </div>
    <div class="bottom">
      <NameForm
        class="keep"
        :placeholder="$t('seatingDialog.savePositionsAsASeating')"
        :label="$t('seatingDialog.nameForASeatingOf')"
        @keep="keep"
      />
      <Button v-if="own?.mine" size="small" @click="library.forget(own)">
        {{ $t("seatingDialog.deleteName", { name: own.name }) }}
      </Button>
      <Button type="primary" :disabled="!Object.keys(sitting).length" @click="apply">
        {{
          $t("seatingDialog.seatSources", { count: Object.keys(sitting).length }, Object.keys(sitting).length)
        }}
      </Button>
    </div>
  </Modal>
</template>

<style scoped>
.top,
.bottom {
  display: flex;
  gap: 12px;
  align-items: center;
  justify-content: space-between;
  margin: 10px 0;
}
select {
  height: 30px;
  padding: 0 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.sides {
  display: flex;
  gap: 4px;
}
.field {
  position: relative;
  margin: 10px 0;
  background: var(--paper);
  border: 1px solid var(--rule-strong);
}
.centre {
  position: absolute;
  inset: 0 auto 0 50%;
  border-left: 1px solid var(--rule-strong);
}
.end {
  position: absolute;
  bottom: 4px;
  font-weight: 600;
}
.left {
  left: 8px;
  color: var(--left);
}
.right {
  right: 8px;
  color: var(--right);
}
.seat {
  position: absolute;
  display: grid;
  width: 112px;
  margin-left: -56px;
  padding: 3px 6px;
  border: 1px dashed var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  text-align: center;
  cursor: pointer;
}
.seat.taken {
  border-style: solid;
  border-color: var(--ink);
}
.seat.over {
  border-color: var(--lamp);
  background: var(--lamp-wash);
}
.seat.taken,
.name {
  touch-action: none;
}
.name.dragged {
  opacity: 0.5;
}
.seat small {
  color: var(--quiet);
  font-size: 11px;
  white-space: nowrap;
}
.seat b {
  overflow: hidden;
  border-left: 4px solid;
  padding-left: 4px;
  font-size: 12.5px;
  font-weight: 600;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.seat i {
  color: var(--quiet);
  font-size: 12px;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  min-height: 30px;
}
.name {
  padding: 3px 10px;
  border: 1px solid;
  border-left-width: 5px;
  border-radius: 3px;
  background: var(--raised);
  cursor: grab;
}
.name[aria-pressed="true"] {
  background: var(--lamp-wash);
}
.keep {
  width: 330px;
}
</style>
