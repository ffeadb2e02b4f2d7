<script setup lang="ts">
/** A source's place on a small rule from left to right, which is itself the control. */
import { computed, ref } from "vue";
import { panText } from "@/geometry/pan";
import { tidy } from "@/geometry/parameters";

const props = defineProps<{
  pan: number;
  colour: string;
  label: string;
  disabled?: boolean;
  holder?: string;
}>();
const emit = defineEmits<{ grasp: []; move: [pan: number]; set: [pan: number]; drop: [] }>();

const rule = ref<HTMLElement>();
const moved = ref(false);
const held = ref(false);
const left = computed(() => `${((props.pan + 1) / 2) * 100}%`);

function panAt(event: PointerEvent): number {
  const box = rule.value!.getBoundingClientRect();
  const pan = ((event.clientX - box.left) / box.width) * 2 - 1;
  return tidy("pan", pan);
}

function onDown(event: PointerEvent): void {
  if (props.disabled || event.button !== 0) return;
  rule.value!.setPointerCapture(event.pointerId);
  held.value = true;
  moved.value = false;
  emit("grasp");
}

function onMove(event: PointerEvent): void {
  if (!held.value) return;
  moved.value = true;
  emit("move", panAt(event));
}

function onUp(event: PointerEvent): void {
  if (!held.value) return;
  held.value = false;
  if (moved.value) emit("set", panAt(event));
  else emit("drop");
}

function onCancel(): void {
  held.value = false;
  emit("drop");
}

function onKey(event: KeyboardEvent): void {
  const by = event.shiftKey ? 0.1 : 0.01;
  const next: Record<string, number> = {
    ArrowLeft: props.pan - by,
    ArrowRight: props.pan + by,
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
    :tabindex="disabled ? -1 : 0"
    :aria-label="label"
    aria-valuemin="-100"
    aria-valuemax="100"
    :aria-valuenow="Math.round(pan * 100)"
    :aria-valuetext="panText(pan)"
    :aria-disabled="disabled"
    :title="
      holder ? `${holder} is moving this` : disabled ? label : 'Drag, arrow keys, double-click for the centre'
    "
    @pointerdown.prevent="
      onDown($event);
      rule!.focus();
    "
    @pointermove="onMove"
    @pointerup="onUp"
    @pointercancel="onCancel"
    @dblclick="!disabled && emit('set', 0)"
    @keydown="onKey"
  >
    <span class="centre" />
    <span class="pointer" :style="{ left, borderBottomColor: colour }" />
  </div>
</template>

<style scoped>
.rule {
  position: relative;
  height: 18px;
  margin: 0 6px;
  cursor: ew-resize;
  touch-action: none;
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
.pointer {
  position: absolute;
  top: 2px;
  margin-left: -5px;
  border: 5px solid transparent;
  border-top-width: 0;
  border-bottom-width: 12px;
}
.held .pointer {
  filter: drop-shadow(0 0 0.5px var(--lamp)) drop-shadow(0 0 1px var(--lamp));
}
</style>
