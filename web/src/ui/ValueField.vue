<script setup lang="ts">
/** A number written as engineers write it: type it, step it with the arrow keys, double-click to reset it. */
import { ref } from "vue";

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
}>();
const emit = defineEmits<{ set: [value: number] }>();

const typed = ref<string | null>(null);
const wrong = ref(false);

function keep(): void {
  if (typed.value === null) return;
  const value = props.parse(typed.value);
  wrong.value = value === null;
  if (value === null) return;
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
    const by =
      (event.shiftKey ? (props.bigStep ?? props.step * 10) : props.step) * (event.key === "ArrowUp" ? 1 : -1);
    // Steps add up in decimals, not in binary fractions.
    const stepped = Math.round((props.value + by) * 1e4) / 1e4;
    const next = Math.min(Math.max(stepped, props.low ?? -Infinity), props.high ?? Infinity);
    if (next !== props.value) emit("set", next);
  }
}
</script>

<template>
  <input
    class="value number"
    :class="{ wrong }"
    :value="typed ?? text(value)"
    :aria-label="label"
    :aria-invalid="wrong"
    :title="wrong ? $t('valueField.notUnderstoodHint', { hint: hint ?? '' }) : hint"
    :disabled="disabled"
    inputmode="text"
    spellcheck="false"
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
.wrong,
.wrong:focus {
  border-color: var(--wrong);
  text-decoration: underline wavy var(--wrong);
}
</style>
