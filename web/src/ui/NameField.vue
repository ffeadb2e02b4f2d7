<script setup lang="ts">
/** The name of a thing, to be typed over; left empty it stays as it was. */
const props = defineProps<{ name: string; label: string; disabled?: boolean }>();
const emit = defineEmits<{ rename: [name: string] }>();

function keep(event: Event): void {
  const input = event.target as HTMLInputElement;
  const typed = input.value.trim();
  if (typed && typed !== props.name) emit("rename", typed);
  else input.value = props.name;
}
</script>

<template>
  <input
    class="name"
    :value="name"
    :disabled="disabled"
    :aria-label="label"
    maxlength="120"
    spellcheck="false"
    @change="keep"
    @keydown.enter="($event.target as HTMLInputElement).blur()"
    @keydown.stop
  />
</template>

<style scoped>
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
</style>
