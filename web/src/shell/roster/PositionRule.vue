<script setup lang="ts">
/** A source's place on a small rule from left to right, which is itself the control; a spread one shows its band. */
import { must } from "@/domain/must";
import { refThrottled } from "@vueuse/core";
import { computed, ref } from "vue";
import type { End } from "@/domain/ends";
import { panText, endsText } from "@/domain/format";
import { tidy } from "@/domain/parameters";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{
  ends: End[];
  colour: string;
  label: string;
  disabled?: boolean;
  holder?: string;
  /** It goes along its line by itself: what is read aloud follows now and then, not with every frame. */
  isMoving?: boolean;
  /** Its tabindex, in a list with one tab stop. */
  tab?: 0 | -1;
}>();
const emit = defineEmits<{
  grasp: [];
  move: [side: End["side"], pan: number];
  set: [pan: number];
  drop: [];
  done: [];
}>();

const rule = ref<HTMLElement>();
const moved = ref(false);
const held = ref<End["side"] | null>(null);
let offset = 0;
/** Where the pointer came down (px). */

const middle = computed(() => props.ends.reduce((sum, end) => sum + end.at, 0) / props.ends.length);
const percent = (pan: number): string => `${((pan + 1) / 2) * 100}%`;
const band = computed(() => {
  if (props.ends.length < 2) return null;
  const [a, b] = props.ends.map((end) => end.at) as [number, number];
  return { left: percent(Math.min(a, b)), width: `${Math.abs(a - b) * 50}%` };
});
const text = computed(() => (props.ends.length < 2 ? panText(middle.value) : endsText(props.ends)));

/** How often what is read aloud follows what moves (ms). */
const READ_EVERY = 500;
const slowText = refThrottled(text, READ_EVERY);
const said = computed(() => (props.isMoving ? slowText.value : text.value));
const slowMiddle = refThrottled(middle, READ_EVERY);
const valueNow = computed(() => Math.round((props.isMoving ? slowMiddle.value : middle.value) * 100));

function panAt(event: PointerEvent): number {
  const box = must(rule.value).getBoundingClientRect();
  return ((event.clientX - box.left) / box.width) * 2 - 1;
}

/** What the pointer takes: an end that is near, else the whole. */
function sideAt(event: PointerEvent): End["side"] {
  if (props.ends.length < 2) return "whole";
  const near = 8 / (must(rule.value).getBoundingClientRect().width / 2);
  const at = panAt(event);
  const [nearest] = [...props.ends].sort((a, b) => Math.abs(a.at - at) - Math.abs(b.at - at));
  return nearest && Math.abs(nearest.at - at) < near ? nearest.side : "whole";
}

const drag = usePointerDrag({
  sideways: true,
  start: (event) => {
    if (props.disabled) return false;
    held.value = sideAt(event);
    offset = props.ends.length > 1 && held.value === "whole" ? middle.value - panAt(event) : 0;
    moved.value = false;
    emit("grasp");
    return must(rule.value);
  },
  move: (event) => {
    moved.value = true;
    emit("move", must(held.value), tidy("pan", panAt(event) + offset));
  },
  end: () => {
    held.value = null;
    if (moved.value) emit("done");
    else emit("drop");
  },
  cancel: () => {
    held.value = null;
    emit("drop");
  },
});

function onKey(event: KeyboardEvent): void {
  const by = event.shiftKey ? 0.1 : 0.01;
  const next: Record<string, number> = {
    ArrowLeft: middle.value - by,
    ArrowRight: middle.value + by,
    Home: -1,
    End: 1,
    "0": 0,
  };
  const wanted = next[event.key];
  if (wanted === undefined || props.disabled) return;
  event.preventDefault();
  event.stopPropagation();
  emit("set", tidy("pan", wanted));
}
</script>

<template>
  <div
    ref="rule"
    class="rule"
    :class="{ held, disabled }"
    role="slider"
    :tabindex="disabled ? -1 : (tab ?? 0)"
    :aria-label="label"
    aria-valuemin="-100"
    aria-valuemax="100"
    :aria-valuenow="valueNow"
    :aria-valuetext="said"
    :aria-disabled="disabled"
    :title="
      holder
        ? $t('positionRule.holderIsMovingThis', { holder: holder })
        : disabled
          ? label
          : $t('positionRule.dragArrowKeysDoubleClick')
    "
    @pointerdown.prevent="
      drag.down($event, undefined);
      must(rule).focus();
    "
    v-on="drag.follow"
    @dblclick="!disabled && emit('set', 0)"
    @keydown="onKey"
  >
    <span class="centre" />
    <span v-if="band" class="band" :style="{ ...band, background: colour }" />
    <span
      v-for="end in ends"
      :key="end.side"
      class="place"
      :style="{ transform: `translateX(${percent(end.at)})` }"
    >
      <i class="pointer" :class="end.side" :style="{ borderBottomColor: colour }" />
    </span>
  </div>
</template>

<style scoped>
.rule {
  position: relative;
  height: 18px;
  margin: 0 6px;
  cursor: ew-resize;
  /* A finger that goes up or down scrolls the list and moves nothing. */
  touch-action: pan-y;
}
.rule::before {
  content: "";
  position: absolute;
  inset: 8px -6px auto;
  border-top: 2px solid var(--rule);
}
.disabled {
  cursor: default;
}
.centre {
  position: absolute;
  left: 50%;
  top: 4px;
  height: 9px;
  border-left: 1px solid var(--rule-strong);
}
/* As wide as the rule, so that a share of it is a place on it. */
.place {
  position: absolute;
  inset: 0;
  pointer-events: none;
}
.pointer {
  position: absolute;
  top: 2px;
  left: 0;
  margin-left: -5px;
  border: 5px solid transparent;
  border-top-width: 0;
  border-bottom-width: 12px;
}
.pointer.left {
  border-right-width: 0;
}
.pointer.right {
  margin-left: 0;
  border-left-width: 0;
}
.band {
  position: absolute;
  top: 7px;
  height: 5px;
  opacity: 0.4;
}
.held .pointer {
  filter: drop-shadow(0 0 0.5px var(--lamp)) drop-shadow(0 0 1px var(--lamp));
}
</style>
