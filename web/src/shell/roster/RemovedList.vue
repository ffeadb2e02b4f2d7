<script setup lang="ts">
/** Sources that were taken away: by whom, when, and a button that brings each of them back as it was. */
import { Button, Modal } from "ant-design-vue";
import { useAsked } from "@/api/asked";
import type { Schemas } from "@/api/http";
import type { Operation } from "@/collab/outbox";
import { useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import { momentText } from "@/ui/moment";

const open = defineModel<boolean>("open", { required: true });
const session = useSession();
const edits = useEdits();
const { answer: removed, trouble } = useAsked<Schemas["Removed"][]>(
  () => (open.value ? `/api/sessions/${session.id}/removed` : null),
  { keeps: true, whenever: () => session.revision },
);

const nameOf = (back: Record<string, unknown>): string => (back.source as { name: string }).name;
</script>

<template>
  <Modal v-model:open="open" :title="$t('removedList.removedSources')" :footer="null" :width="460">
    <p v-if="trouble" role="alert">{{ trouble }}</p>
    <ul v-else-if="removed?.length">
      <li v-for="one in removed" :key="one.revision">
        <template v-for="back in one.back" :key="nameOf(back)">
          <b>{{ nameOf(back) }}</b>
          <span class="quiet">{{ one.author }}, {{ momentText(one.created_at) }}</span>
          <Button size="small" @click="edits.make(back as unknown as Operation)">
            {{ $t("removedList.restore") }}
          </Button>
        </template>
      </li>
    </ul>
    <p v-else class="quiet">{{ $t("removedList.nothingHasBeenRemovedRemoved") }}</p>
  </Modal>
</template>

<style scoped>
ul {
  margin: 12px 0 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 6px 12px;
  align-items: center;
  padding: 6px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
