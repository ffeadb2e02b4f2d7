<script setup lang="ts">
/** The session's own settings: name and length, tempo and metre with their changes, the pan law with what it does. */
import { Modal, TabPane, Tabs } from "ant-design-vue";
import { ref, watch } from "vue";
import GeneralPart from "./GeneralPart.vue";
import LawPart from "./LawPart.vue";
import LayoutPart from "./LayoutPart.vue";
import TempoPart from "./TempoPart.vue";

const open = defineModel<boolean>("open", { required: true });
const props = defineProps<{ part?: string }>();
const tab = ref("general");
watch(open, (now) => now && (tab.value = props.part ?? "general"), { immediate: true });
</script>

<template>
  <Modal v-model:open="open" :title="$t('sessionSettings.sessionSettings')" :footer="null" :width="640">
    <Tabs v-model:active-key="tab" size="small">
      <TabPane key="general" :tab="$t('sessionSettings.nameAndLength')"><GeneralPart /></TabPane>
      <TabPane key="tempo" :tab="$t('sessionSettings.tempoAndMetre')"><TempoPart v-if="open" /></TabPane>
      <TabPane key="layout" :tab="$t('sessionSettings.speakers')"><LayoutPart v-if="open" /></TabPane>
      <TabPane key="law" :tab="$t('sessionSettings.panLaw')"><LawPart v-if="open" /></TabPane>
    </Tabs>
  </Modal>
</template>
