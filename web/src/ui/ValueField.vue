<script setup lang="ts">
/**
 * A number written as engineers write it: type it, step it with the arrow keys, drag it, double-click to reset it.
 */
import { t } from "@/words";
import { computed, ref } from "vue";
import { say } from "./say";
import { useHeldNumber } from "./holding";
import { usePointerDrag } from "./pointerDrag";

const props = defineProps<{
  value: number;
  label: string;
  text: (value: number) => string;
  parse: (text: string) => number | null;
  /** What an arrow key adds, and with Shift. */
  step?: number;
  bigStep?: number;
  low?: number;
  high?: number;
  initial?: number;
  disabled?: boolean;
  hint?: string;
  /** What it sets is heard while a hand drags it. */
  live?: boolean;
  /** Nothing but digits and a point is typed: a keyboard on glass need show no letters. */
  digits?: boolean;
}>();
const emit = defineEmits<{ set: [value: number] }>();

const typed = ref<string | null>(null);
const wrong = ref(false);

function keep(): void {
  if (typed.value === null) return;
  const value = props.parse(typed.value);
  wrong.value = value === null;
  if (value === null)
    return say.careful(t("valueField.refused", { typed: typed.value, hint: props.hint ?? "" }));
  typed.value = null;
  if (value !== props.value) emit("set", value);
}

function drop(): void {
  typed.value = null;
  wrong.value = false;
}

function onBlur(): void {
  keep();
  drop();
}

/** So far (px) a hand goes for a step. */
const PER_STEP = 4;
/** What moves less (px) is a press, which is about to type. */
const STILL = 3;
/** Where there are more single steps than these a drag goes by big ones. */
const MOST_STEPS = 2000;
const {
  held,
  hold,
  settle,
  drop: letGo,
} = useHeldNumber(
  () => props.value,
  () => props.live,
  (value) => emit("set", value),
);
let pressed = { x: 0, y: 0, from: 0 };

const drag = usePointerDrag({
  sideways: true,
  start: (event) => {
    // What is typed into is marked with the pointer.
    if (!props.step || props.disabled || document.activeElement === event.currentTarget) return false;
    pressed = { x: event.clientX, y: event.clientY, from: props.value };
    return true;
  },
  move: (event) => {
    // To the right and up is more.
    const way = event.clientX - pressed.x - (event.clientY - pressed.y);
    if (held.value === null && Math.abs(way) < STILL) return;
    const to = within(
      pressed.from + Math.round(way / PER_STEP) * stepOf(event.shiftKey || hasFineSteps.value),
    );
    if (to !== (held.value ?? pressed.from)) hold(to);
  },
  end: (event) => {
    if (held.value === null) (event.currentTarget as HTMLInputElement).focus();
    settle();
  },
  cancel: letGo,
});

/** A press that may become a drag does not take the keys yet. */
function onMouse(event: MouseEvent): void {
  if (drag.held.value) event.preventDefault();
}

/** Whether single steps are too small to drag by. */
const hasFineSteps = computed(
  () => ((props.high ?? Infinity) - (props.low ?? -Infinity)) / (props.step ?? 1) > MOST_STEPS,
);

const stepOf = (big: boolean): number =>
  big ? (props.bigStep ?? (props.step ?? 0) * 10) : (props.step ?? 0);

/** Steps add up in decimals, not in binary fractions. */
const within = (value: number): number =>
  Math.min(Math.max(Math.round(value * 1e4) / 1e4, props.low ?? -Infinity), props.high ?? Infinity);

/** What is entered or left gives the keys back: the next one is a shortcut again. */
const giveBack = (event: KeyboardEvent): void => (event.target as HTMLElement).blur();

function onKey(event: KeyboardEvent): void {
  if (event.key === "Enter") {
    keep();
    if (!wrong.value) giveBack(event);
  } else if (event.key === "Escape") {
    drop();
    giveBack(event);
  }
  if ((event.key === "ArrowUp" || event.key === "ArrowDown") && props.step) {
    event.preventDefault();
    drop();
    const next = within(props.value + stepOf(event.shiftKey) * (event.key === "ArrowUp" ? 1 : -1));
    if (next !== props.value) emit("set", next);
  }
}
</script>

<template>
  <input
    class="value number"
    :class="{ wrong, held: held !== null, drags: step && !disabled }"
    :value="typed ?? text(held ?? value)"
    :aria-label="label"
    :aria-invalid="wrong"
    :title="wrong ? $t('valueField.notUnderstoodHint', { hint: hint ?? '' }) : hint"
    :disabled="disabled"
    :inputmode="digits ? 'decimal' : 'text'"
    spellcheck="false"
    @pointerdown="drag.down($event, undefined)"
    @mousedown="onMouse"
    v-on="drag.follow"
    @focus="($event.target as HTMLInputElement).select()"
    @input="typed = ($event.target as HTMLInputElement).value"
    @keydown.stop="onKey"
    @blur="onBlur"
    @dblclick="initial !== undefined && (drop(), emit('set', initial))"
  />
</template>

<style scoped>
.value {
  width: 100%;
  min-width: 0;
  height: 24px;
  padding: 0 6px;
  border: 1px solid transparent;
  border-radius: 3px;
  background: transparent;
  text-overflow: ellipsis;
}
.value:hover:not(:disabled),
.value:focus {
  border-color: var(--rule-strong);
  background: var(--raised);
}
.drags:not(:focus) {
  cursor: ew-resize;
  touch-action: pan-y;
}
.held,
.held:hover:not(:disabled) {
  border-color: var(--lamp);
  background: var(--raised);
}
.wrong,
.wrong:focus {
  border-color: var(--wrong);
  text-decoration: underline wavy var(--wrong);
}
</style>
