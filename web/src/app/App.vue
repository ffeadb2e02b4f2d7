<script setup lang="ts">
/** The frame of everything: the theme that makes Ant Design Vue's parts ours, and the page. */
import { ConfigProvider } from "ant-design-vue";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";
import { palette } from "@/ui/palette";
import { useDialogKeys } from "@/ui/dialogKeys";
import Notices from "@/ui/Notices.vue";
import { themeOn } from "@/ui/theme";
import Tips from "@/ui/Tips.vue";

useDialogKeys();
const theme = computed(() => themeOn(palette));

/** On a slow line it takes a while until it is known who is there. */
const here = ref(false);
void useRouter()
  .isReady()
  .finally(() => (here.value = true));
</script>

<template>
  <ConfigProvider :theme="theme" :auto-insert-space-in-button="false">
    <RouterView v-if="here" />
    <p v-else class="opening" role="status">{{ $t("app.opening") }}</p>
    <Notices />
    <Tips />
  </ConfigProvider>
</template>

<style scoped>
.opening {
  display: grid;
  place-content: center;
  height: 100%;
  color: var(--quiet);
}
</style>
