<script setup lang="ts">
/** A new password for who has lost theirs, by a link from whoever runs the server. */
import { Button, InputPassword } from "ant-design-vue";
import { ref } from "vue";
import { useRouter } from "vue-router";
import { useAttempt } from "@/api/attempt";
import { post, type Schemas } from "@/api/http";

const router = useRouter();
const secret = decodeURIComponent(location.hash.slice(1));
const password = ref("");
const renewed = ref("");
const { trouble, busy, attempt } = useAttempt();

const renew = (): Promise<boolean> =>
  attempt(async () => {
    const body = { secret, password: password.value };
    renewed.value = (await post<Schemas["Renewed"]>("/api/password/renew", body)).username;
  });
</script>

<template>
  <main>
    <img src="/needle.svg" alt="" width="40" height="40" />
    <h1>{{ $t("newPassword.aNewPassword") }}</h1>
    <template v-if="renewed">
      <p role="status">{{ $t("newPassword.isSet", { username: renewed }) }}</p>
      <Button type="primary" @click="router.replace('/sign-in')">{{ $t("newPassword.signIn") }}</Button>
    </template>
    <form v-else @submit.prevent="renew">
      <p class="quiet">{{ $t("newPassword.whatHappens") }}</p>
      <label>
        {{ $t("newPassword.password") }}
        <InputPassword v-model:value="password" required :minlength="10" autocomplete="new-password" />
      </label>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="busy">{{ $t("newPassword.set") }}</Button>
    </form>
  </main>
</template>

<style scoped>
main,
form {
  display: grid;
  gap: 14px;
  justify-items: start;
}
main {
  max-width: 420px;
  margin: 0 auto;
  padding: 12vh 20px 40px;
}
h1 {
  font-size: 28px;
}
form,
label {
  width: 100%;
}
label {
  display: grid;
  gap: 4px;
}
</style>
