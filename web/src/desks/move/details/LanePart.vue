<script setup lang="ts">
/** The lane that is worked on: which it is, whether it is followed, how it is recorded, what it is compared with. */
import { useAsked } from "@/api/asked";
import { Button } from "ant-design-vue";
import type { LaneName, Source, Point } from "@/domain/model";
import { t } from "@/words";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { get, type Schemas } from "@/api/http";
import { latest } from "@/api/latest";
import { useChartView } from "@/session/view";
import { FACES } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
import { OTHER_SIDE } from "@/session/moves";
import { MODES, useRecorder, type Mode } from "@/session/recorder";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import Fold from "@/ui/Fold.vue";
import NumberField from "@/ui/NumberField.vue";
import { minuteText } from "@/ui/moment";
import { say } from "@/ui/say";
import LaneHand from "./LaneHand.vue";
import MidiPart from "@/desks/move/recording/MidiPart.vue";

const props = defineProps<{ source: Source; lane: LaneName }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const edits = useEdits();
const recorder = useRecorder();
const monitor = useMonitor();

const key = (lane: LaneName): string => session.laneKey(lane.owner, lane.parameter);
const title = (lane: LaneName): string => {
  const face = FACES[lane.parameter].title;
  return lane.owner === props.source.id ? face : `${view.nameOf(lane.owner)}: ${face.toLowerCase()}`;
};
function state(lane: LaneName): string {
  const count = session.points(lane.owner, lane.parameter).length;
  if (!count) return "";
  return session.isOff(lane.owner, lane.parameter) ? " · off" : ` · ${count}`;
}
const count = computed(() => session.points(props.lane.owner, props.lane.parameter).length);
const off = computed(() => session.isOff(props.lane.owner, props.lane.parameter));
const mode = computed(() => recorder.modeOf(props.lane));

/** Both sides of a stereo source are armed together: a hand may take either. */
function arm(wanted: Mode): void {
  recorder.arm(props.lane, wanted);
  const other = OTHER_SIDE[props.lane.parameter];
  if (other) recorder.arm({ ...props.lane, parameter: other }, wanted);
}

function pick(event: Event): void {
  const wanted = (event.target as HTMLSelectElement).value;
  const found = view.lanesHere.find((one) => key(one) === wanted);
  if (found) view.showLane(found);
}

/** What the line may be heard against: as it was earlier, or without it. */
const against = ref("");
const looked = ref(false);
const { answer: history, again } = useAsked<Schemas["LaneChange"][]>(() => {
  const query = new URLSearchParams({ owner: props.lane.owner, parameter: props.lane.parameter });
  return looked.value ? `/api/sessions/${session.id}/moves/history?${query}` : null;
});
function look(): void {
  if (looked.value) void again();
  else looked.value = true;
}
const choosing = latest();
async function compareWith(event: Event): Promise<void> {
  const isLast = choosing();
  against.value = (event.target as HTMLSelectElement).value;
  if (!against.value) return monitor.offerMoves(null);
  const name = key(props.lane);
  let points: Point[] = [];
  if (against.value !== "none") {
    const query = new URLSearchParams({
      owner: props.lane.owner,
      parameter: props.lane.parameter,
      revision: against.value,
    });
    try {
      points = await get<Point[]>(`/api/sessions/${session.id}/moves/lane?${query}`);
    } catch (error) {
      if (!isLast()) return;
      against.value = "";
      monitor.offerMoves(null);
      return say.wrong((error as Error).message);
    }
    if (!isLast()) return;
  }
  const what =
    against.value === "none"
      ? t("lanePart.withoutAutomation")
      : t("lanePart.asInRAgainst", { against: against.value });
  monitor.offerMoves({ words: [`${name}=${against.value}`], lanes: new Map([[name, points]]), title: what });
}
function endComparison(): void {
  if (!against.value) return;
  choosing();
  against.value = "";
  monitor.offerMoves(null);
}
watch(() => key(props.lane), endComparison);
onBeforeUnmount(endComparison);
</script>

<template>
  <section :aria-label="$t('lanePart.automation')">
    <h3 class="heading">{{ $t("lanePart.automation") }}</h3>
    <div class="line">
      <select :value="key(lane)" :aria-label="$t('lanePart.parameter')" @change="pick">
        <option v-for="one in view.lanesHere" :key="key(one)" :value="key(one)">
          {{ title(one) }}{{ state(one) }}
        </option>
      </select>
      <Button
        size="small"
        :aria-pressed="count > 0 && !off"
        :disabled="!count || !session.mayEdit"
        :title="off ? $t('lanePart.offTheFixedValueIs') : $t('lanePart.onFollowsTheAutomationPress')"
        @click="edits.switchLane(lane, off)"
      >
        {{ count ? (off ? $t("lanePart.off") : $t("lanePart.on")) : $t("lanePart.noAutomation") }}
      </Button>
    </div>
    <LaneHand :lane="lane" :name="view.nameOf(lane.owner)" :colour="inkOf(source.colour)" />
    <div v-if="session.mayEdit" class="modes" role="group" :aria-label="$t('lanePart.recording')">
      <Button
        v-for="one in MODES"
        :key="one.name"
        size="small"
        :class="{ armed: one.name !== 'read' }"
        :aria-pressed="mode === one.name"
        :title="one.tip"
        @click="arm(one.name)"
      >
        {{ one.title }}
      </Button>
    </div>
    <div v-if="mode === 'touch' || mode === 'trim'" class="line">
      <span>{{ $t("lanePart.glideBack") }}</span>
      <NumberField
        :value="recorder.glide"
        :label="$t('lanePart.glideBack')"
        :low="0"
        :high="10"
        :step="0.05"
        unit="s"
        :initial="0.25"
        @set="recorder.glide = $event"
      />
    </div>
    <p v-if="mode !== 'read'" class="quiet note">
      {{
        player.playing
          ? $t("lanePart.recordingWhatYouMove")
          : $t("lanePart.armedPressSpaceThenMove", {
              lane: lane.parameter.startsWith("pan") ? $t("lanePart.hereInTheListOr") : "",
            })
      }}
      <template v-if="recorder.armed.length > 1">
        {{ $t("lanePart.armedCountLanesAreArmed", { armedCount: recorder.armed.length }) }}</template
      >
    </p>
    <Fold :title="$t('lanePart.compareFixedValueController')">
      <label class="line">
        <span>{{ $t("lanePart.against") }}</span>
        <select
          :value="against"
          :aria-label="$t('lanePart.compareWith')"
          @focus="look"
          @pointerdown="look"
          @change="compareWith"
        >
          <option value="">{{ $t("lanePart.nothing") }}</option>
          <option value="none">{{ $t("lanePart.withoutAutomation") }}</option>
          <option v-for="one in history?.slice(1)" :key="one.revision" :value="String(one.revision)">
            r{{ one.revision }} · {{ minuteText(one.created_at) }} {{ one.author.split(" ")[0] }}
          </option>
        </select>
        <Button
          size="small"
          class="lit"
          :aria-pressed="monitor.comparing"
          :disabled="!monitor.moves"
          :title="$t('lanePart.compareBOnlyForYou')"
          @click="monitor.compare(!monitor.comparing)"
        >
          {{ $t("lanePart.compareB") }}
        </Button>
      </label>
      <div class="buttons">
        <Button
          size="small"
          :disabled="!count || !session.mayEdit"
          :title="$t('lanePart.deletesTheAutomationAndKeeps')"
          @click="edits.makeStatic(lane, player.playhead)"
        >
          {{ $t("lanePart.setFixedValue") }}
        </Button>
        <Button
          size="small"
          :disabled="!count || !session.mayEdit"
          :title="$t('lanePart.deletesTheAutomationTheFixed')"
          @click="edits.clearLane(lane.owner, lane.parameter)"
        >
          {{ $t("lanePart.deleteAutomation") }}
        </Button>
      </div>
      <MidiPart />
    </Fold>
  </section>
</template>

<style scoped>
.heading {
  margin: 10px 0 5px;
}
.line {
  display: flex;
  align-items: center;
  gap: 6px;
  font-size: 13px;
}
.line > select {
  flex: 1;
  min-width: 0;
  height: 27px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.line > span {
  flex: 1;
  white-space: nowrap;
}
.line > :deep(input) {
  width: 78px;
  flex: none;
  text-align: right;
}
label.line > span {
  flex: none;
}
.line > .ant-btn {
  flex: none;
  justify-content: center;
  min-width: 70px;
}
.modes {
  display: flex;
  flex-wrap: wrap;
}
.modes button {
  flex: 1 0 auto;
  min-width: 48px;
  height: 27px;
  margin-left: -1px;
  padding: 0;
  border-radius: 0;
}
.modes .armed[aria-pressed="true"] {
  background: var(--lamp);
  border-color: var(--lamp);
  color: var(--on-lamp);
  font-weight: 600;
}
.note {
  margin: 4px 0;
  font-size: 12px;
}
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  margin: 6px 0;
}
</style>
