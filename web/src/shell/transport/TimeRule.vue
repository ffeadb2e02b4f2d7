<script setup lang="ts">
/** The whole piece on a thin rule: where the playhead is, the passages, and what one goes round, which is drawn here. */
import { must } from "@/domain/must";
import { computed, ref } from "vue";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import RuleHead from "./RuleHead.vue";
import { BARS } from "@/domain/grid";
import { usePointerDrag } from "@/ui/pointerDrag";

const session = useSession();
const player = usePlayer();
const rule = ref<HTMLElement>();

const share = (at: number): string => `${(100 * at) / Math.max(session.length, 1e-9)}%`;
const passages = computed(() =>
  session.passages.map((one) => {
    const [start, end] = [one.start, one.end].map((beat) => session.grid.secondsOfBeat(beat));
    return { id: one.id, name: one.name, start: must(start), end: must(end) };
  }),
);
const going = computed(() => player.roundSpan);

function timeAt(event: PointerEvent): number {
  const box = must(rule.value).getBoundingClientRect();
  return Math.min(Math.max((event.clientX - box.left) / box.width, 0), 1) * session.length;
}
/** Bars, unless one asks for any time. */
const snapped = (event: PointerEvent): number =>
  event.altKey ? timeAt(event) : session.grid.snap(timeAt(event), BARS);

type End = "start" | "end";
/** What stays while the other end is drawn: the loop's other end, or where the rule was pressed. */
let anchor = 0;
let pressedAt = 0;
let before: { round: string | null; loop: { start: number; end: number } | null };
const DRAWN = 5;

function begin(event: PointerEvent, end: End | null): Element {
  before = { round: player.round, loop: player.loop };
  pressedAt = event.clientX;
  anchor = end ? must(going.value)[end === "start" ? "end" : "start"] : snapped(event);
  player.isLoopHeld = true;
  return must(rule.value);
}

const drag = usePointerDrag<End | null>({
  start: begin,
  move: (event, end) => {
    if (end || Math.abs(event.clientX - pressedAt) > DRAWN) player.goRound(anchor, snapped(event));
  },
  end: (event, end) => {
    if (!end && Math.abs(event.clientX - pressedAt) <= DRAWN)
      player.seek(session.grid.snap(timeAt(event), 1));
    player.isLoopHeld = false;
  },
  cancel: () => {
    player.goRoundPassage(before.round);
    player.loop = before.loop;
    player.isLoopHeld = false;
  },
});

function onKey(event: KeyboardEvent, end: End): void {
  const by = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 }[event.key];
  const now = going.value;
  if (!by || !now) return;
  event.preventDefault();
  event.stopPropagation();
  const at = session.grid.step(now[end], by * (event.shiftKey ? 4 : 1), BARS);
  if (end === "start" ? at < now.end : at > now.start)
    player.goRound(end === "start" ? at : now.start, end === "end" ? at : now.end);
}
</script>

<template>
  <div
    ref="rule"
    class="rule"
    role="group"
    :aria-label="$t('timeRule.rule')"
    :title="$t('timeRule.dragForALoop')"
    v-on="drag.follow"
    @pointerdown="drag.down($event, null)"
  >
    <span
      v-for="one in passages"
      :key="one.id"
      class="passage"
      :style="{ left: share(one.start), width: share(one.end - one.start) }"
      ><span>{{ one.name }}</span></span
    >
    <span
      v-if="going"
      class="loop"
      :style="{ left: share(going.start), width: share(going.end - going.start) }"
    />
    <template v-if="going">
      <span
        v-for="end in ['start', 'end'] as const"
        :key="end"
        class="end"
        role="slider"
        tabindex="0"
        :aria-label="end === 'start' ? $t('transport.loopStart') : $t('transport.loopEnd')"
        :aria-valuenow="going[end]"
        aria-valuemin="0"
        :aria-valuemax="session.length"
        :aria-valuetext="session.grid.text(going[end])"
        :style="{ left: share(going[end]) }"
        @pointerdown.stop="drag.down($event, end)"
        @keydown="onKey($event, end)"
      />
    </template>
    <RuleHead />
  </div>
</template>

<style scoped>
.rule {
  position: relative;
  flex: none;
  height: 16px;
  overflow: clip;
  background: var(--bar);
  border-top: 1px solid var(--bar-hover);
  color: var(--bar-quiet);
  font-size: 10px;
  line-height: 15px;
  cursor: crosshair;
  touch-action: none;
  user-select: none;
}
.rule > span {
  position: absolute;
  inset-block: 0;
}
.passage {
  border-left: 1px solid var(--bar-rule);
  overflow: hidden;
  pointer-events: none;
}
.passage > span {
  padding-left: 4px;
  white-space: nowrap;
}
.loop {
  background: var(--lamp);
  opacity: 0.28;
  pointer-events: none;
}
.end {
  width: 11px;
  margin-left: -5px;
  cursor: ew-resize;
  outline: none;
}
.end::before {
  content: "";
  position: absolute;
  inset: 0 4px;
  background: var(--lamp);
}
.end:focus-visible::before {
  inset: 0 2px;
}
</style>
