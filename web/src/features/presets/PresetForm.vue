<script setup lang="ts">
/** Keeping something by a name of one's own. */
import { ref } from "vue";

defineProps<{ placeholder: string; label: string }>();
const emit = defineEmits<{ keep: [name: string] }>();
const name = ref("");

function keep(): void {
  if (name.value.trim()) emit("keep", name.value.trim());
  name.value = "";
}
</script>

<template>
  <form @submit.prevent="keep">
    <input v-model="name" :placeholder="placeholder" :aria-label="label" maxlength="120" @keydown.stop />
    <button class="small-button" :disabled="!name.trim()">{{ $t("presetForm.save") }}</button>
  </form>
</template>

<style scoped>
form {
  display: flex;
  gap: 5px;
  margin-top: 4px;
}
input {
  flex: 1;
  min-width: 0;
  height: 25px;
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 12.5px;
}
</style>
