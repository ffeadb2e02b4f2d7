<script setup lang="ts">
/** A name that is typed, and what is done by it. */
import { Button, Input } from "ant-design-vue";
import { ref } from "vue";

const props = defineProps<{
  placeholder: string;
  label: string;
  /** What the button says, where it does not save. */
  button?: string;
  disabled?: boolean;
  /** Whether it may be left empty. */
  optional?: boolean;
}>();
const emit = defineEmits<{ keep: [name: string] }>();
const name = ref("");

function keep(): void {
  if (name.value.trim() || props.optional) emit("keep", name.value.trim());
  name.value = "";
}
</script>

<template>
  <form @submit.prevent="keep">
    <Input
      v-model:value="name"
      :placeholder="placeholder"
      :aria-label="label"
      :maxlength="120"
      @keydown.stop
    />
    <Button html-type="submit" size="small" :disabled="disabled || (!optional && !name.trim())">{{
      button ?? $t("nameForm.save")
    }}</Button>
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
