<script setup lang="ts">
/** Every key, in one sheet. */
import { Button, Modal } from "ant-design-vue";
import { useShortcutKeys } from "@/account/shortcutKeys";
import { KEYS } from "@/shell/shortcuts";

const { shown } = useShortcutKeys();
const open = defineModel<boolean>("open", { required: true });
defineEmits<{ preferences: [] }>();
</script>

<template>
  <Modal v-model:open="open" :title="$t('helpSheet.shortcutsAndHelp')" :footer="null" :width="560">
    <p class="ways">
      <a href="/guide/" target="_blank">{{ $t("helpSheet.theGuide") }}</a>{{
        $t("helpSheet.inTheOrderOfThe")
      }}
      <Button
        type="link"
        size="small"
        @click="
          open = false;
          $emit('preferences');
        "
      >
        {{ $t("helpSheet.preferencesPaperColoursUnits") }}
      </Button>
    </p>
    <section v-for="group in KEYS" :key="group.title">
      <h3 class="heading">{{ group.title }}</h3>
      <dl>
        <template v-for="[keys, what, shortcuts] in group.keys" :key="keys + what">
          <dt class="number">{{ shown(keys, [...(shortcuts ?? "")]) }}</dt>
          <dd>{{ what }}</dd>
        </template>
      </dl>
    </section>
  </Modal>
</template>

<style scoped>
.ways a {
  color: var(--right);
}
h3 {
  margin: 14px 0 4px;
}
dl {
  display: grid;
  grid-template-columns: 190px 1fr;
  gap: 3px 12px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>
