<script setup lang="ts">
/** The account: another password, a second factor, signing out everywhere, deleting it. */
import { t } from "@/words";
import { Button, InputPassword, Modal, Popconfirm } from "ant-design-vue";
import { ref, watch } from "vue";
import { useRouter } from "vue-router";
import { useAttempt } from "@/api/attempt";
import { post, remove } from "@/api/http";
import { useAccount } from "@/account/account";
import { say } from "@/ui/say";
import SecondFactor from "./SecondFactor.vue";

const open = defineModel<boolean>("open", { required: true });
const account = useAccount();
const router = useRouter();
const current = ref("");
const replacement = ref("");
const { trouble, busy, attempt } = useAttempt();
watch(open, () => {
  current.value = replacement.value = trouble.value = "";
  deleting.value = securing.value = false;
});

const change = (): Promise<boolean> =>
  attempt(async () => {
    await post("/api/password", { current: current.value, new: replacement.value });
    say.done(t("accountDialog.yourPasswordIsChangedEvery"));
    open.value = false;
  });

const deleting = ref(false);
const securing = ref(false);
const field = ref<HTMLInputElement>();
// The button that was pressed is gone: the keyboard goes on where the next thing is to be typed.
watch(deleting, (now) => now && field.value?.focus(), { flush: "post" });
const destroy = (): Promise<boolean> =>
  attempt(async () => {
    await remove("/api/account", { password: current.value });
    account.me = null;
    say.know(t("accountDialog.yourAccountIsDeletedWhat"));
    await router.push("/sign-in");
  });

const signOutEverywhere = (): Promise<boolean> =>
  attempt(async () => {
    await account.signOutEverywhere();
    await router.push("/sign-in");
  });
</script>

<template>
  <Modal
    v-model:open="open"
    :title="$t('accountDialog.yourAccountUsername', { username: account.me?.username })"
    :footer="null"
    :width="420"
  >
    <form v-if="deleting" @submit.prevent="destroy">
      <p>{{ $t("accountDialog.sessionsThatOnlyYouAre") }}</p>
      <label
        >{{ $t("accountDialog.currentPassword") }}
        <InputPassword ref="field" v-model:value="current" autocomplete="current-password" required
      /></label>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <div class="choices">
        <Button danger type="primary" html-type="submit" :loading="busy">{{
          $t("accountDialog.deleteAccount")
        }}</Button>
        <Button @click="deleting = false">{{ $t("accountDialog.cancel") }}</Button>
      </div>
    </form>
    <form v-else-if="!securing" @submit.prevent="change">
      <label
        >{{ $t("accountDialog.currentPassword") }}
        <InputPassword v-model:value="current" autocomplete="current-password" required
      /></label>
      <label
        >{{ $t("accountDialog.newPassword") }}
        <InputPassword v-model:value="replacement" autocomplete="new-password" :minlength="10" required
      /></label>
      <p class="quiet">{{ $t("accountDialog.atLeastTenCharactersEvery") }}</p>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="busy">{{
        $t("accountDialog.changePassword")
      }}</Button>
    </form>
    <SecondFactor v-if="open && !deleting" v-model:active="securing" />
    <div v-if="!securing" class="out">
      <p>{{ $t("accountDialog.signedInOnAnotherBrowser") }}</p>
      <Popconfirm
        :title="$t('accountDialog.everyBrowserIsSignedOut')"
        :ok-text="$t('accountDialog.signOut')"
        :cancel-text="$t('accountDialog.cancel2')"
        @confirm="signOutEverywhere"
      >
        <Button size="small">{{ $t("accountDialog.signOutEverywhere") }}</Button>
      </Popconfirm>
    </div>
    <div v-if="!deleting && !securing" class="out">
      <p>{{ $t("accountDialog.deleteYourAccount") }}</p>
      <Button size="small" @click="deleting = true">
        {{ $t("accountDialog.deleteAccount2") }}
      </Button>
    </div>
  </Modal>
</template>

<style scoped>
form,
label {
  display: grid;
  gap: 4px;
}
form {
  gap: 12px;
  justify-items: start;
}
label {
  width: 100%;
}
input {
  height: 32px;
  padding: 0 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.choices {
  display: flex;
  gap: 8px;
}
.out {
  display: flex;
  align-items: center;
  justify-content: space-between;
  margin-top: 20px;
  padding-top: 12px;
  border-top: 1px solid var(--rule);
}
</style>
