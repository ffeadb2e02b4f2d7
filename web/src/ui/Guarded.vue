<script setup lang="ts">
/** A part of the page that may fail by itself: it says so and offers to be shown again, and the rest goes on. */
import { Button } from "ant-design-vue";
import { onErrorCaptured, ref, watch } from "vue";

const props = defineProps<{ name: string; when?: string | null }>();
const failed = ref(false);
/** What Vue says of where an error came from that leaves what is drawn as it is: handlers and watchers. */
const HARMLESS = /(?:handler|watcher|#runtime-(?:[2-6]|14))/;

onErrorCaptured((_, __, where) => {
  // It is said in a notice too, as any other fault is.
  if (!HARMLESS.test(where)) failed.value = true;
});
// Something else is to be shown in it: that may be well.
watch(
  () => props.when,
  () => (failed.value = false),
);
</script>

<template>
  <slot v-if="!failed" />
  <div v-else class="failed" role="alert">
    <p>{{ $t("guarded.failed", { part: name }) }}</p>
    <Button size="small" @click="failed = false">{{ $t("guarded.showAgain") }}</Button>
  </div>
</template>

<style scoped>
.failed {
  display: grid;
  gap: 8px;
  justify-items: start;
  align-content: start;
  padding: 16px;
  background: var(--panel);
  font-size: 13px;
}
</style>
