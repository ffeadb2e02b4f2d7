<script setup lang="ts">
/** Which source the details are of: its ink, its name (to be typed over), and what its audio is. */
import { computed } from "vue";
import { clockText } from "@/geometry/time";
import { operation, useEdits } from "@/session/edits";
import { useSession, type Source } from "@/session/session";
import { INKS, inkOf } from "@/ui/theme";
import NameField from "@/ui/NameField.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const edits = useEdits();
const about = computed(() => {
  const { channels, seconds } = props.source;
  const kind = channels === 1 ? "mono" : channels === 2 ? "stereo" : `${channels} channels`;
  return seconds ? `${kind} · ${clockText(seconds).slice(0, -2)}` : kind;
});

function nextInk(): void {
  edits.make(
    operation("arrange-source", { source: props.source.id, ink: (props.source.ink + 1) % INKS.length }),
  );
}
</script>

<template>
  <header>
    <button
      class="ink"
      :style="{ background: inkOf(source.ink) }"
      :disabled="!session.mayEdit"
      aria-label="Another ink"
      title="Another ink"
      @click="nextInk"
    />
    <NameField
      :name="source.name"
      label="Name of the source"
      :disabled="!session.mayEdit"
      @rename="edits.make(operation('rename-source', { source: source.id, name: $event }))"
    />
    <span class="quiet">{{ about }}</span>
  </header>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 8px;
}
.ink {
  width: 9px;
  height: 24px;
  padding: 0;
  border: 0;
  border-radius: 1px;
  cursor: pointer;
}
.quiet {
  font-size: 12px;
  white-space: nowrap;
}
</style>
