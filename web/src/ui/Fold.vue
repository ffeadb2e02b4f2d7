<script setup lang="ts">
/** A part of the details that can be folded away; folded, it still says in a word what it holds. */
import { useLocalStorage } from "@vueuse/core";

const props = defineProps<{ title: string; summary?: string; changed?: boolean; open?: boolean }>();
const shown = useLocalStorage(`fold:${props.title}`, props.open ?? false);
</script>

<template>
  <section class="fold" :class="{ shown, changed }">
    <h3>
      <button :aria-expanded="shown" @click="shown = !shown">
        <svg width="9" height="9" aria-hidden="true"><path d="M2 1l4 3.500-4 3.500" /></svg>
        <span class="title">{{ title }}</span>
        <span v-if="summary" class="summary number">{{ summary }}</span>
      </button>
    </h3>
    <div v-if="shown" class="inside"><slot /></div>
  </section>
</template>

<style scoped>
.fold {
  border-top: 1px solid var(--rule);
}
h3 {
  font-size: inherit;
  font-weight: inherit;
}
button {
  display: flex;
  align-items: center;
  gap: 7px;
  width: 100%;
  padding: 7px 0;
  border: 0;
  background: none;
  text-align: left;
  cursor: pointer;
}
svg {
  flex: none;
  fill: none;
  stroke: var(--quiet);
  stroke-width: 1.5;
}
.shown svg {
  transform: rotate(90deg);
}
.title {
  flex: 0 1 auto;
  font-size: 13px;
  font-weight: 600;
}
.summary {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-align: right;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 12px;
  color: var(--quiet);
}
.changed .summary {
  color: var(--ink);
  font-weight: 500;
}
.inside {
  padding: 1px 0 12px;
}
</style>
