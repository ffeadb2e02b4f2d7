<script setup lang="ts">
/** The words of a comment or of a reply, who wrote them, and what their writer may still do with them. */
import { Button, Textarea } from "ant-design-vue";
import { computed, nextTick, ref } from "vue";
import type { Schemas } from "@/api/http";
import { useAccount } from "@/account/account";
import { useSession } from "@/session/session";
import { momentText } from "@/ui/moment";
import { useComments } from "./comments";

const props = defineProps<{ remark: Schemas["ReplyOut"]; chosen: boolean }>();
defineEmits<{ choose: [] }>();
const account = useAccount();
const session = useSession();
const comments = useComments();
const mine = computed(() => props.remark.author.id === account.me?.id);
const wording = ref<string | null>(null);
const field = ref<HTMLTextAreaElement>();

async function begin(): Promise<void> {
  wording.value = props.remark.text;
  await nextTick();
  field.value?.focus();
}

async function keep(): Promise<void> {
  const text = wording.value?.trim();
  if (text && (await comments.edit(props.remark.id, text))) wording.value = null;
}
</script>

<template>
  <form v-if="wording !== null" @submit.prevent="keep" @keydown.esc.stop="wording = null">
    <Textarea
      ref="field"
      v-model:value="wording"
      :rows="3"
      :maxlength="2000"
      :aria-label="$t('remarkText.newText')"
      @keydown.ctrl.enter="keep"
    />
    <Button size="small" html-type="submit">{{ $t("remarkText.save") }}</Button>
    <Button size="small" @click="wording = null">
      {{ $t("remarkText.cancel") }}
    </Button>
  </form>
  <p v-else class="text" @click="$emit('choose')">{{ remark.text }}</p>
  <p class="by quiet">
    {{ remark.author.name }}, {{ momentText(remark.created_at)
    }}{{ remark.edited ? $t("remarkText.edited") : "" }}
    <slot />
    <span v-if="chosen && wording === null" class="own">
      <Button v-if="mine" type="link" size="small" @click="begin">{{ $t("remarkText.edit") }}</Button>
      <Button
        v-if="mine || session.role === 'owner'"
        type="link"
        size="small"
        @click="comments.discard(remark.id)"
      >
        {{ $t("remarkText.delete") }}
      </Button>
    </span>
  </p>
</template>

<style scoped>
form {
  display: grid;
  grid-template-columns: auto auto 1fr;
  gap: 6px;
}
textarea {
  grid-column: 1 / -1;
}
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.by {
  font-size: 11.5px;
}
.own {
  display: inline-flex;
  gap: 8px;
  margin-left: 4px;
  white-space: nowrap;
}
</style>
