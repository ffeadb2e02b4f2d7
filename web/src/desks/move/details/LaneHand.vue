<script setup lang="ts">
/** A hand on the lane that is worked on, whatever it is: dragged on its own scale, by keys, typed. It can be recorded. */
import { must } from "@/domain/must";
import type { LaneName } from "@/domain/model";
import { computed, ref } from "vue";
import { axisFor } from "@/ui/drawing/axis";
import { clamp } from "@/domain/format";
import { FACES, tidy } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import ParameterField from "@/ui/ParameterField.vue";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{ lane: LaneName; name: string; colour: string }>();
const session = useSession();
const player = usePlayer();
const edits = useEdits();
const hand = useHolding();
const recorder = useRecorder();

const rule = ref<HTMLElement>();
const face = computed(() => FACES[props.lane.parameter]);
const source = computed(() => session.sourceById(props.lane.owner));
const value = computed(() =>
  source.value
    ? session.valueAt(source.value, props.lane.parameter, player.playhead)
    : session.laneValueAt(props.lane, player.playhead),
);
const WIDTH = 1000;
const axis = computed(() => axisFor(props.lane.parameter, WIDTH));
const shareOf = (at: number): number => {
  const [low, high] = [axis.value.x(face.value.low), axis.value.x(face.value.high)];
  return (axis.value.x(at) - low) / (high - low);
};
const locked = computed(() => !session.mayEdit || !!(source.value && hand.holderOf(source.value)));
/** Where the pointer came down (px). */
let last: number | null = null;

function valueAt(event: PointerEvent): number {
  const box = must(rule.value).getBoundingClientRect();
  const share = clamp((event.clientX - box.left) / box.width, 0, 1);
  const [low, high] = [axis.value.x(face.value.low), axis.value.x(face.value.high)];
  return tidy(props.lane.parameter, axis.value.value(low + share * (high - low)));
}

function show(wanted: number): void {
  last = wanted;
  if (source.value) hand.move(source.value, { [props.lane.parameter]: wanted });
  else if (recorder.writes(props.lane)) recorder.touch(props.lane, wanted);
  else session.hold(`${props.lane.owner}.${props.lane.parameter}`, wanted);
}

function put(wanted: number, byHand: boolean): void {
  if (source.value) hand.set(source.value, { [props.lane.parameter]: wanted }, byHand);
  else if (recorder.writes(props.lane)) {
    if (byHand) recorder.release(props.lane);
    else recorder.nudge(props.lane, wanted);
  } else edits.setLane(props.lane, wanted);
}

const drag = usePointerDrag({
  sideways: true,
  start: () => {
    if (locked.value) return false;
    last = null;
    if (recorder.writes(props.lane)) show(value.value);
    return must(rule.value);
  },
  move: (event) => show(valueAt(event)),
  end: () => {
    if (last !== null) put(last, true);
  },
  // The page scrolls instead, or the hand thinks better of it: what was shown is taken back.
  cancel: () => {
    if (last === null) return;
    if (source.value) hand.drop(source.value);
    else if (recorder.writes(props.lane)) put(last, true);
    else session.letGo(`${props.lane.owner}.${props.lane.parameter}`);
  },
});

function onKey(event: KeyboardEvent): void {
  const by = event.shiftKey ? face.value.bigStep : face.value.unit;
  const next = { ArrowLeft: -by, ArrowRight: by, "0": face.value.initial - value.value }[event.key];
  if (next === undefined || locked.value) return;
  event.preventDefault();
  event.stopPropagation();
  put(tidy(props.lane.parameter, value.value + next), false);
}
</script>

<template>
  <div class="hand">
    <div
      ref="rule"
      class="rule"
      role="slider"
      :tabindex="locked ? -1 : 0"
      :aria-label="$t('laneHand.nameTitleByHand', { name: name, title: face.title })"
      :aria-valuenow="Math.round(value * 100) / 100"
      :aria-valuemin="face.low"
      :aria-valuemax="face.high"
      :aria-valuetext="face.text(value)"
      :aria-disabled="locked"
      @pointerdown.prevent="
        drag.down($event, undefined);
        must(rule).focus();
      "
      v-on="drag.follow"
      @dblclick="!locked && put(face.initial, false)"
      @keydown="onKey"
    >
      <span class="mark" :style="{ left: `${shareOf(face.initial) * 100}%` }" />
      <span
        class="grip"
        :class="{ held: drag.held.value }"
        :style="{ left: `${shareOf(value) * 100}%`, background: colour }"
      />
    </div>
    <ParameterField
      live
      class="field"
      :parameter="lane.parameter"
      :value="value"
      :label="$t('laneHand.nameTitleNow', { name: name, title: face.title })"
      :disabled="locked"
      @set="put($event, false)"
    />
  </div>
</template>

<style scoped>
.hand {
  display: flex;
  align-items: center;
  gap: 12px;
  margin: 4px 0;
}
.rule {
  position: relative;
  flex: 1;
  height: 26px;
  cursor: ew-resize;
  touch-action: pan-y;
}
.rule::before {
  content: "";
  position: absolute;
  inset: 12px 0 auto;
  border-top: 2px solid var(--rule-strong);
}
.mark {
  position: absolute;
  top: 7px;
  height: 11px;
  border-left: 1px solid var(--quiet);
}
.grip {
  position: absolute;
  top: 4px;
  width: 10px;
  height: 18px;
  margin-left: -5px;
  border-radius: 2px;
}
.grip.held {
  outline: 2px solid var(--lamp);
}
.field {
  width: 70px;
  flex: none;
  text-align: right;
}
</style>
