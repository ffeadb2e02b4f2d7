<script setup lang="ts">
/** The Place desk: every source by its place and level at once, and each return as a room of its own. */
import { Button } from "ant-design-vue";
import { computed } from "vue";
import { useChartView } from "@/chart/view";
import BalanceFoot from "@/foot/BalanceFoot.vue";
import { useReturns } from "@/session/returns";
import { useSession } from "@/session/session";
import Field from "./Field.vue";

const props = defineProps<{ width: number; height: number }>();
defineEmits<{ bringIn: [] }>();
const session = useSession();
const view = useChartView();
const returns = useReturns();
const BAR = 42;
const FOOT = 100;
const layer = computed(() => session.returns.find((one) => one.id === view.layer));
const said = computed(() => {
  if (layer.value) return `What is sent to ${layer.value.name}, and where it stands there`;
  const [sources, others] = [view.shownSources.length, session.returns.length];
  return `${sources} source${sources === 1 ? "" : "s"}${view.alone ? " of those chosen" : ""} · ${others} return${others === 1 ? "" : "s"}`;
});
</script>

<template>
  <nav class="layers" aria-label="What the field shows">
    <button class="layer" :aria-pressed="!layer" @click="view.chooseReturn('')">Direct</button>
    <button
      v-for="one in session.returns"
      :key="one.id"
      class="layer"
      :aria-pressed="layer?.id === one.id"
      @click="view.chooseReturn(one.id)"
    >
      {{ one.name }}
    </button>
    <button v-if="session.mayEdit" class="layer more" @click="returns.add()">+ return</button>
    <span class="quiet">{{ said }}</span>
  </nav>
  <div v-if="!session.sources.length" class="start">
    <h2>Bring in the stems</h2>
    <p>
      Every source will stand here where it sounds: left is left, and loud is up. Drag it to place and level
      it at once.
    </p>
    <Button v-if="session.mayEdit" type="primary" @click="$emit('bringIn')">Choose files…</Button>
    <p class="quiet">Or drop them anywhere on this page.</p>
  </div>
  <Field :width="props.width" :height="Math.max(height - BAR - FOOT, 160)" :to="layer" />
  <BalanceFoot :width="props.width" />
</template>

<style scoped>
.start {
  position: absolute;
  top: 38%;
  left: 50%;
  display: grid;
  gap: 10px;
  justify-items: center;
  width: 340px;
  padding: 22px 26px;
  background: var(--raised);
  border: 1px solid var(--rule-strong);
  border-left: 4px solid var(--lamp);
  transform: translate(-50%, -50%);
  text-align: center;
}
.start h2 {
  font-size: 18px;
}
.layers {
  display: flex;
  align-items: center;
  gap: 5px;
  height: 42px;
  padding: 0 14px;
  background: var(--raised);
  border-bottom: 2px solid #8b9690;
  overflow-x: auto;
  white-space: nowrap;
}
.layer {
  height: 27px;
  padding: 0 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  cursor: pointer;
}
.layer[aria-pressed="true"] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--paper);
  font-weight: 600;
}
.layer.more {
  border-style: dashed;
  color: var(--quiet);
}
.quiet {
  margin-left: 10px;
  font-size: 12.5px;
}
</style>
