<script setup lang="ts">
/** The code that an account asks for besides the password; it has the keyboard as soon as it is there. */
import { Input } from "ant-design-vue";
import { onMounted, ref } from "vue";

const code = defineModel<string>({ required: true });
const field = ref<{ focus: () => void }>();
onMounted(() => field.value?.focus());
</script>

<template>
  <label
    >{{ $t("signIn.code") }} <Input ref="field" v-model:value="code" autocomplete="one-time-code" required
  /></label>
</template>

<style scoped>
label {
  display: grid;
  gap: 3px;
  width: 100%;
}
</style>
