<script setup lang="ts">
/** An invitation's page: what it is for, and coming in, with one's account or a new one. */
import { Button, Input, InputPassword } from "ant-design-vue";
import { computed, onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { useAttempt } from "@/api/attempt";
import { post, type Schemas } from "@/api/http";
import { useAccount } from "@/account/account";
import CodeField from "@/features/account/CodeField.vue";
import { dateText } from "@/ui/moment";

const account = useAccount();
const router = useRouter();
const secret = decodeURIComponent(location.hash.slice(1));
const door = ref<Schemas["InvitationPreview"] | null>(null);
const { trouble, busy, attempt } = useAttempt();
const username = ref("");
const name = ref("");
const password = ref("");
const code = ref("");
const known = ref(false);

onMounted(() =>
  attempt(async () => {
    door.value = await post<Schemas["InvitationPreview"]>("/api/invitations/preview", { secret });
    if (door.value.session) await router.replace(`/sessions/${door.value.session}`);
  }),
);
const until = computed(() => (door.value ? dateText(door.value.ends_at) : ""));

const enter = (): Promise<boolean> =>
  attempt(async () => {
    if (!account.me && known.value) await account.signIn(username.value, password.value, code.value);
    const entered = account.me
      ? await post<Schemas["Joined"]>("/api/invitations/accept", { secret })
      : await account.make(username.value, name.value, password.value, secret);
    await router.replace(`/sessions/${entered.session}`);
  });
</script>

<template>
  <main>
    <img src="/needle.svg" alt="" width="40" height="40" />
    <template v-if="door">
      <h1>{{ door.name }}</h1>
      <p>
        {{
          $t("invitation.authorInvitesYouAsDoor", {
            author: door.author,
            door:
              door.role === "listener"
                ? $t("invitation.aListenerYouCanHear")
                : $t("invitation.anEngineerYouCanEdit"),
          })
        }}
        <span class="quiet">{{ $t("invitation.theInvitationIsValidUntil", { until: until }) }}</span>
      </p>
      <form @submit.prevent="enter">
        <template v-if="!account.me">
          <div class="which" role="radiogroup" :aria-label="$t('invitation.yourAccount')">
            <label
              ><input v-model="known" type="radio" :value="false" />
              {{ $t("invitation.createAnAccount") }}</label
            >
            <label
              ><input v-model="known" type="radio" :value="true" />
              {{ $t("invitation.iHaveAnAccount") }}</label
            >
          </div>
          <label v-if="!known"
            >{{ $t("invitation.yourName") }}
            <Input v-model:value="name" required :maxlength="150" autocomplete="name"
          /></label>
          <label
            >{{ $t("invitation.nameToSignInWith") }}
            <Input v-model:value="username" required :maxlength="150" autocomplete="username"
          /></label>
          <label>
            {{ $t("invitation.password") }}
            <InputPassword
              v-model:value="password"
              required
              :minlength="known ? undefined : 10"
              :autocomplete="known ? 'current-password' : 'new-password'"
            />
          </label>
          <CodeField v-if="known && account.codeWanted" v-model="code" />
        </template>
        <p v-else>{{ $t("invitation.youJoinAsName", { name: account.me.name }) }}</p>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        <Button type="primary" html-type="submit" :loading="busy">{{ $t("invitation.joinSession") }}</Button>
      </form>
    </template>
    <template v-else-if="trouble">
      <h1>{{ $t("invitation.thisInvitationCannotBeUsed") }}</h1>
      <p role="alert">{{ trouble }}</p>
      <RouterLink to="/">{{ $t("invitation.toYourSessions") }}</RouterLink>
    </template>
    <p v-else class="quiet">{{ $t("invitation.loading") }}</p>
  </main>
</template>

<style scoped>
main {
  display: grid;
  gap: 16px;
  max-width: 420px;
  margin: 0 auto;
  padding: 12vh 20px 40px;
}
h1 {
  font-size: 28px;
}
form {
  display: grid;
  gap: 12px;
  justify-items: start;
}
form > label {
  display: grid;
  gap: 4px;
  width: 100%;
}
.which {
  display: flex;
  gap: 18px;
}
label > input:not([type="radio"]) {
  height: 34px;
  padding: 0 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
</style>
