<script setup lang="ts">
/** Sessions that one is asked to come into: joined, or not. */
import { Button } from "ant-design-vue";
import type { Schemas } from "@/api/http";

defineProps<{ invitations: Schemas["OwnInvitation"][] }>();
defineEmits<{ accept: [id: string]; decline: [id: string] }>();
</script>

<template>
  <ul :aria-label="$t('sessionList.invitations')">
    <li v-for="one in invitations" :key="one.id">
      <span>{{
        $t("sessionList.authorInvitesYou", { author: one.author, name: one.name, role: one.role })
      }}</span>
      <Button type="primary" size="small" @click="$emit('accept', one.id)">
        {{ $t("sessionList.join") }}
      </Button>
      <Button size="small" @click="$emit('decline', one.id)">{{ $t("sessionList.decline") }}</Button>
    </li>
  </ul>
</template>

<style scoped>
ul {
  margin: 0 0 16px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 9px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
li + li {
  margin-top: 6px;
}
span {
  flex: 1;
}
</style>
