<script setup lang="ts">
/** Drawing a wave step by step: drag over the steps, or the arrow keys on one. The middle is 0. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import { computed, ref } from "vue";
import { clamp } from "@/domain/format";
import { usePointerDrag } from "@/ui/pointerDrag";

const props = defineProps<{ steps: number[]; limits: [number, number]; disabled?: boolean }>();
const emit = defineEmits<{ hold: [steps: number[]]; drop: []; set: [steps: number[]] }>();
const WIDTH = 268;
const HEIGHT = 88;
const held = ref<number[] | null>(null);
const shown = computed(() => held.value ?? props.steps);
const each = computed(() => WIDTH / shown.value.length);
const y = (value: number): number => (HEIGHT / 2) * (1 - value);

function drawAt(event: PointerEvent): void {
  if (!held.value) return;
  const box = (event.currentTarget as Element).getBoundingClientRect();
  const index = clamp(
    Math.floor(((event.clientX - box.left) / box.width) * held.value.length),
    0,
    held.value.length - 1,
  );
  const value = clamp(1 - (2 * (event.clientY - box.top)) / box.height, -1, 1);
  held.value = held.value.map((one, i) => (i === index ? Math.round(value * 20) / 20 : one));
  emit("hold", held.value);
}
const drag = usePointerDrag({
  start: (event) => {
    if (props.disabled) return false;
    held.value = [...props.steps];
    drawAt(event);
    return true;
  },
  move: drawAt,
  end: () => {
    if (held.value) emit("set", held.value);
    held.value = null;
  },
  cancel: () => {
    held.value = null;
    emit("drop");
  },
});
function onKey(event: KeyboardEvent, index: number): void {
  const by = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key];
  const to = { Home: -1, End: 1, "0": 0 }[event.key];
  if (by === undefined && to === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  const size = event.shiftKey ? 5 : 1;
  const value = to ?? clamp(Math.round((must(props.steps[index]) + must(by) * size) * 20) / 20, -1, 1);
  emit("set", props.steps.map((one, i) => (i === index ? value : one))); // prettier-ignore
}
function resize(by: number): void {
  const count = clamp(props.steps.length + by, ...props.limits);
  const fresh = Array.from({ length: count }, (_, i) => props.steps[i] ?? must(props.steps.at(-1)));
  emit("set", fresh);
}
</script>

<template>
  <div class="steps">
    <svg
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      role="group"
      :aria-label="$t('stepsEditor.drawnSteps')"
      v-on="drag.follow"
      @pointerdown.prevent="drag.down($event, undefined)"
    >
      <path class="middle" :d="`M0 ${HEIGHT / 2}H${WIDTH}`" />
      <g
        v-for="(step, i) in shown"
        :key="i"
        role="slider"
        tabindex="0"
        :aria-label="$t('stepsEditor.stepI', { i: i + 1 })"
        aria-valuemin="-1"
        aria-valuemax="1"
        :aria-valuenow="step"
        :aria-disabled="disabled"
        @keydown="onKey($event, i)"
      >
        <rect class="room" :x="i * each" y="0" :width="each" :height="HEIGHT" />
        <rect
          class="bar"
          :x="i * each + 1"
          :y="Math.min(y(step), HEIGHT / 2)"
          :width="Math.max(each - 2, 1)"
          :height="Math.max(Math.abs(y(step) - HEIGHT / 2), 1.5)"
        />
      </g>
    </svg>
    <div class="count">
      <span class="quiet">{{ $t("stepsEditor.stepCountSteps", { stepCount: steps.length }) }}</span>
      <Button
        size="small"
        :disabled="disabled"
        :aria-label="$t('stepsEditor.removeAStep')"
        @click="resize(-1)"
      >
        −
      </Button>
      <Button size="small" :disabled="disabled" :aria-label="$t('stepsEditor.addAStep')" @click="resize(1)">
        +
      </Button>
    </div>
  </div>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  cursor: crosshair;
  touch-action: none;
}
.room {
  fill: transparent;
  stroke: var(--rule);
  stroke-width: 0.5;
}
.bar {
  fill: var(--ink);
  opacity: 0.75;
}
.middle {
  stroke: var(--rule-strong);
}
g:focus-visible {
  outline: none;
}
g:focus-visible .room {
  fill: var(--lamp-wash);
}
.count {
  display: flex;
  gap: 5px;
  align-items: center;
  justify-content: flex-end;
  margin-top: 4px;
  font-size: 12px;
}
</style>
