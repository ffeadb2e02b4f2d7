<script setup lang="ts">
/** One source: its ink, name, level, place, mute for all, and solo for oneself. */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { computed } from "vue";
import { levelText } from "@/domain/format";
import { useComments } from "@/features/comments/comments";
import { useControlRequests } from "@/gestures/controlRequests";
import { useDeals } from "@/session/deals";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { endsOf, type End, type Values } from "@/domain/ends";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";
import { useWatchers } from "@/session/watchers";
import { usePlayer } from "@/audio/player";
import { initials, inkOf, personColour } from "@/ui/theme";
import { useStops } from "./roving";
import MuteSolo from "./MuteSolo.vue";
import { stable } from "@/ui/stable";
import ParameterField from "@/ui/ParameterField.vue";
import PositionRule from "./PositionRule.vue";

const props = defineProps<{ source: Source; isCompact?: boolean }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const edits = useEdits();
const hand = useHolding();
const recorder = useRecorder();
const deals = useDeals();
const asking = useControlRequests();
const comments = useComments();

const chosen = computed(() => selection.all.includes(props.source.id));
const look = (parameter: Parameter): number =>
  (parameter === "pan" ? deals.panAt(props.source.id, player.playhead) : undefined) ??
  session.valueAt(props.source, parameter, player.playhead);
const ends = stable(() => endsOf(props.source.mode, look));
const holder = computed(() => hand.holderOf(props.source));
const level = computed(() => session.valueAt(props.source, "level", player.playhead));
/** The level that sounds, where its group or its trim makes it another. */
const sounding = computed(() => {
  const found = session.soundingLevelAt(props.source, player.playhead);
  return Math.abs(found - level.value) < 0.05 ? null : found;
});
const muted = computed(() => session.muted(props.source));
/** Soloed as a whole, or by one of the places that it is dealt to. */
const soloed = computed(() => player.solo.some((one) => one.split(".")[0] === props.source.id));
const unheard = computed(() => (player.solo.length ? !soloed.value : muted.value));
const automated = computed(() =>
  (["pan", "pan_left", "pan_right", "span"] as Parameter[]).some((parameter) =>
    session.follows(props.source.id, parameter),
  ),
);
/** How it is armed, if it is: what one does with it while it plays is recorded. */
const armed = computed(() => {
  const key = recorder.armed.find((lane) => session.laneOf(lane).owner === props.source.id);
  return key ? recorder.modeOf(session.laneOf(key)) : null;
});
/** Its place is not to be moved: it is dealt out, or frozen. */
const settled = computed(() => deals.isOn(props.source.id) || !!props.source.frozen_asset);
const pulsing = computed(() => !!session.document?.pulses[props.source.id]?.on);
const stop = useStops(() => props.source.id);
let last: Values | null = null;

function move(side: End["side"], pan: number): void {
  last = hand.toEnd(props.source, side, pan);
  hand.move(props.source, last);
}

function done(): void {
  if (last) hand.set(props.source, last);
  last = null;
}

const among = (event: MouseEvent): boolean => event.ctrlKey || event.metaKey || event.shiftKey;
const remarks = computed(() => comments.ofSource(props.source.id));
const asked = computed(() => [...asking.asked].some((thing) => thing.startsWith(`${props.source.id}.`)));
function ask(): void {
  const thing = hand.heldThing(props.source);
  if (thing) asking.ask(thing);
}
const watchers = useWatchers(() => props.source.id);
</script>

<template>
  <li
    class="row"
    :class="{ chosen, unheard, compact: isCompact }"
    :style="{ '--source': inkOf(source.colour) }"
    :data-source="source.id"
    :data-item="source.id"
    @click="selection.choose(source.id, among($event))"
  >
    <span class="ink" :data-reorder="source.id" :title="$t('rosterRow.dragToReorder')" />
    <div class="body">
      <div class="top">
        <button
          class="name"
          data-stop="name"
          :tabindex="stop('name')"
          :aria-pressed="chosen"
          :title="source.name"
          @click.stop="selection.choose(source.id, among($event))"
        >
          {{ source.name }}
        </button>
        <span
          v-for="person in watchers"
          :key="person.tab"
          class="watcher"
          :style="{ background: personColour(person.colour) }"
          :title="$t('rosterRow.nameHasThisSelected', { name: person.name })"
          >{{ initials(person.name) }}</span
        >
        <button
          v-if="remarks.length"
          class="remarks"
          data-stop="remarks"
          :tabindex="stop('remarks')"
          :class="{ unread: remarks.some((one) => comments.unreadIn(one).length) }"
          :aria-label="
            $t('rosterRow.commentsOnName', { count: remarks.length, name: source.name }, remarks.length)
          "
          @click.stop="comments.jump(must(remarks[0]))"
        >
          {{ remarks.length }}
        </button>
        <svg
          v-if="armed"
          class="armed"
          width="9"
          height="9"
          role="img"
          :aria-label="$t('rosterRow.armedArmed', { armed: armed })"
        >
          <title>{{ $t("rosterRow.armedArmedWhatYouDo", { armed: armed }) }}</title>
          <circle cx="4.5" cy="4.5" r="4" />
        </svg>
        <svg
          v-if="pulsing"
          class="moves"
          width="13"
          height="9"
          role="img"
          :aria-label="$t('rosterRow.pulses')"
        >
          <title>{{ $t("rosterRow.pulseRhythmicAutoPan") }}</title>
          <path d="M1 8V1h4v7h4V1h3" />
        </svg>
        <svg
          v-if="deals.isOn(source.id)"
          class="moves"
          width="12"
          height="9"
          role="img"
          :aria-label="$t('rosterRow.dealt')"
        >
          <title>{{ $t("rosterRow.dealItsNotesGoTo") }}</title>
          <path d="M2 1v2M6 4v2M10 1v2M2 7v1M10 7v1" />
        </svg>
        <svg
          v-if="source.frozen_asset"
          class="moves"
          width="11"
          height="11"
          role="img"
          :aria-label="$t('rosterRow.frozen')"
        >
          <title>{{ $t("rosterRow.frozenUnfreezeItInIts") }}</title>
          <path d="M5.500 0v11M0.700 2.700l9.600 5.600M10.300 2.700l-9.600 5.600" />
        </svg>
        <svg
          v-if="automated"
          class="moves"
          width="12"
          height="8"
          role="img"
          :aria-label="$t('rosterRow.automated')"
        >
          <title>{{ $t("rosterRow.itsPositionIsAutomated") }}</title>
          <path d="M1 4c1.7-4 3.3-4 5 0s3.3 4 5 0" />
        </svg>
        <button
          v-if="holder && session.mayEdit"
          class="ask"
          data-stop="ask"
          :tabindex="stop('ask')"
          :title="$t('rosterRow.nameControlsIt', { name: holder.name })"
          @click.stop="ask"
        >
          {{ asked ? $t("rosterRow.asked") : $t("rosterRow.ask") }}
        </button>
        <ParameterField
          live
          class="level"
          data-stop="level"
          :tabindex="stop('level')"
          :style="{ width: `${levelText(level).length + 1}ch` }"
          parameter="level"
          :value="level"
          :label="$t('rosterRow.levelOfName', { name: source.name })"
          :disabled="!session.mayEdit"
          @set="edits.setValue(source, 'level', $event, player.playhead)"
        />
        <span
          v-if="sounding !== null"
          class="sounds number"
          :title="$t('rosterRow.soundsAt', { level: levelText(sounding) })"
          >→ {{ levelText(sounding).replace(" dB", "") }}</span
        >
      </div>
      <PositionRule
        data-stop="position"
        :tab="stop('position')"
        :ends="ends"
        :is-moving="automated && player.playing"
        :colour="inkOf(source.colour)"
        :label="$t('rosterRow.positionOfName', { name: source.name })"
        :disabled="!session.mayEdit || !!holder || settled"
        :holder="holder?.name"
        @grasp="hand.grasp(source)"
        @move="move"
        @done="done"
        @set="hand.set(source, hand.toEnd(source, 'whole', $event), false)"
        @drop="hand.drop(source)"
      />
    </div>
    <MuteSolo
      :stop="stop"
      :name="source.name"
      :muted="muted"
      :soloed="soloed"
      :disabled="!session.mayEdit"
      @mute="edits.setMuted(source, !muted)"
      @solo="player.soloOnly(source.id, $event)"
    />
  </li>
</template>

<style scoped>
.sounds {
  flex: none;
  font-size: 11px;
  color: var(--quiet);
}
.row {
  display: flex;
  align-items: center;
  gap: 4px;
  padding: 4px 7px 3px 7px;
  border: 1px solid transparent;
  border-radius: 4px;
  cursor: default;
}
.compact {
  padding-block: 0;
}
.compact .body {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 52px;
  align-items: center;
}
.compact .moves {
  display: none;
}
.compact .name,
.compact .level {
  font-size: 12px;
}
.compact :deep(.small-button) {
  min-width: 22px;
  height: 20px;
  padding: 0 4px;
}
.compact :deep(.rule) {
  margin: 0 4px;
}
.row.chosen {
  background: var(--raised);
  border-color: var(--source);
}
.ink {
  width: 4px;
  cursor: grab;
  touch-action: none;
  align-self: stretch;
  margin: 3px 2px 3px 0;
  background: var(--source);
}
.body {
  flex: 1;
  min-width: 0;
}
.top {
  display: flex;
  align-items: center;
  gap: 4px;
}
.name {
  flex: 1;
  min-width: 0;
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  cursor: pointer;
}
.chosen .name {
  font-weight: 600;
}
.unheard .name,
.unheard .level {
  color: var(--quiet);
  text-decoration: line-through;
  text-decoration-thickness: 1px;
}
.unheard .ink {
  opacity: 0.35;
}
.armed {
  flex: none;
  fill: var(--lamp);
  stroke: var(--ink);
}
.moves {
  flex: none;
  fill: none;
  stroke: var(--source);
  stroke-width: 1.5;
}
.watcher {
  color: var(--on-lamp);
  padding: 0 3px;
  border-radius: 7px;
  font-size: 9px;
  font-weight: 600;
  line-height: 14px;
}
.ask,
.remarks {
  flex: none;
  height: 16px;
  padding: 0 4px;
  border: 1px solid var(--ink);
  border-radius: 3px;
  background: none;
  font-size: 10px;
  line-height: 13px;
  cursor: pointer;
}
.ask,
.remarks.unread {
  background: var(--lamp);
  border-color: var(--lamp);
  font-weight: 600;
}
.level {
  height: 20px;
  flex: none;
  padding: 0 2px;
  font-size: 11.5px;
  text-align: right;
  color: var(--quiet);
}
</style>
