<script setup lang="ts">
/** A sheet that stands in place of the details: a title, what it can begin, and its way out. */
import { Button } from "ant-design-vue";
defineProps<{ title: string; trouble?: string }>();
defineEmits<{ close: [] }>();
</script>

<template>
  <aside class="sheet details" :aria-label="title">
    <header>
      <h2>{{ title }}</h2>
      <slot name="begin" />
      <Button size="small" @click="$emit('close')">{{ $t("sideSheet.close") }}</Button>
    </header>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <slot />
  </aside>
</template>

<style scoped>
.sheet {
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 10px 14px 24px;
  overflow-y: auto;
  background: var(--panel);
  border-left: 1px solid var(--rule-strong);
}
header {
  display: flex;
  gap: 8px;
  align-items: center;
}
h2 {
  flex: 1;
  font-size: 17px;
}
.sheet :deep(:is(textarea, select, input)) {
  flex: 1;
  min-width: 0;
  width: 100%;
  padding: 4px 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font: inherit;
  resize: vertical;
}
</style>
