<script setup lang="ts">
/** The frame of everything: the theme that makes Ant Design Vue's parts ours, and the page. */
import { ConfigProvider } from "ant-design-vue";
import { computed } from "vue";
import { palette } from "./ui/palette";
import { themeOn } from "./ui/theme";

const theme = computed(() => themeOn(palette));
</script>

<template>
  <ConfigProvider :theme="theme" :auto-insert-space-in-button="false">
    <RouterView />
  </ConfigProvider>
</template>
