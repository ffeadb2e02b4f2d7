<script setup lang="ts">
/** Which source the details are of: its ink, its name (to be typed over), and what its audio is. */
import { computed } from "vue";
import { clockText } from "@/geometry/time";
import { operation, useEdits } from "@/session/edits";
import { useSession, type Source } from "@/session/session";
import { INKS, inkOf } from "@/ui/theme";

const props = defineProps<{ source: Source }>();
const session = useSession();
const edits = useEdits();
const about = computed(() => {
  const { channels, seconds } = props.source;
  const kind = channels === 1 ? "mono" : channels === 2 ? "stereo" : `${channels} channels`;
  return seconds ? `${kind} · ${clockText(seconds).slice(0, -2)}` : kind;
});

function rename(event: Event): void {
  const name = (event.target as HTMLInputElement).value.trim();
  if (name && name !== props.source.name)
    edits.make(operation("rename-source", { source: props.source.id, name }));
  else (event.target as HTMLInputElement).value = props.source.name;
}

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
    <input
      class="name"
      :value="source.name"
      :disabled="!session.mayEdit"
      aria-label="Name of the source"
      maxlength="120"
      spellcheck="false"
      @change="rename"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
      @keydown.stop
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
.name {
  flex: 1;
  min-width: 0;
  height: 28px;
  padding: 0 4px;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  font-size: 17px;
  font-weight: 600;
  text-overflow: ellipsis;
}
.name:hover:not(:disabled),
.name:focus {
  border-color: var(--rule-strong);
  background: var(--raised);
}
.quiet {
  font-size: 12px;
  white-space: nowrap;
}
</style>
