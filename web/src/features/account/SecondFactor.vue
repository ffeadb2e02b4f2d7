<script setup lang="ts">
/** A code from an app besides the password: set up, confirmed, and switched off. */
import { t } from "@/words";
import { Button, Input, InputPassword } from "ant-design-vue";
import { computed, ref, shallowRef, watch } from "vue";
import { useAttempt } from "@/api/attempt";
import { get, post, remove, type Schemas } from "@/api/http";
import { say } from "@/ui/say";

/** Whether one is at it, so that nothing else is asked meanwhile. */
const active = defineModel<boolean>("active", { required: true });
const { trouble, busy, attempt } = useAttempt();
const state = shallowRef<Schemas["SecondFactorOut"] | null>(null);
const enrolment = shallowRef<Schemas["Enrolment"] | null>(null);
const recovery = shallowRef<string[]>([]);
const password = ref("");
const code = ref("");

const ask = (): Promise<boolean> =>
  attempt(async () => {
    state.value = await get<Schemas["SecondFactorOut"]>("/api/second-factor");
  });
void ask();

watch(active, () => {
  password.value = code.value = trouble.value = "";
  enrolment.value = null;
  recovery.value = [];
});

/** What is shown of it now. */
const part = ref<HTMLElement>();
// What was pressed is gone: the keyboard goes on with what has come in its place, and Escape still closes the dialog.
watch([active, enrolment, recovery], () => part.value?.querySelector<HTMLElement>("input, button")?.focus(), {
  flush: "post",
});

const begin = (): Promise<boolean> =>
  attempt(async () => {
    enrolment.value = await post<Schemas["Enrolment"]>("/api/second-factor", { password: password.value });
  });

const confirm = (): Promise<boolean> =>
  attempt(async () => {
    const answer = await post<Schemas["RecoveryCodes"]>("/api/second-factor/confirm", { code: code.value });
    recovery.value = answer.codes;
    await ask();
  });

const end = (): Promise<boolean> =>
  attempt(async () => {
    await remove("/api/second-factor", { password: password.value });
    say.done(t("secondFactor.off"));
    active.value = false;
    await ask();
  });

async function copy(): Promise<void> {
  await navigator.clipboard.writeText(recovery.value.join("\n"));
  say.done(t("secondFactor.copied"));
}

const about = computed(() => {
  if (!state.value?.on) return t("secondFactor.about");
  return t("secondFactor.isOn", { count: state.value.recovery_codes }, state.value.recovery_codes);
});
</script>

<template>
  <div v-if="!active" ref="part" class="row">
    <p>{{ about }}</p>
    <Button v-if="state" size="small" @click="active = true">
      {{ state.on ? $t("secondFactor.switchOff") : $t("secondFactor.setUp") }}
    </Button>
  </div>
  <div v-else-if="recovery.length" ref="part" class="step">
    <p>{{ $t("secondFactor.keep") }}</p>
    <ul class="codes number">
      <li v-for="one in recovery" :key="one">{{ one }}</li>
    </ul>
    <div class="choices">
      <Button type="primary" @click="active = false">{{ $t("secondFactor.kept") }}</Button>
      <Button @click="copy">{{ $t("secondFactor.copy") }}</Button>
    </div>
  </div>
  <form v-else-if="enrolment" ref="part" class="step" @submit.prevent="confirm">
    <p>{{ $t("secondFactor.scan") }}</p>
    <img :src="enrolment.picture" :alt="$t('secondFactor.picture')" />
    <p class="quiet">
      {{ $t("secondFactor.orType") }} <code>{{ enrolment.secret }}</code>
    </p>
    <label
      >{{ $t("secondFactor.code") }}
      <Input v-model:value="code" class="code" autocomplete="one-time-code" inputmode="numeric" required
    /></label>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div class="choices">
      <Button type="primary" html-type="submit" :loading="busy">{{ $t("secondFactor.confirm") }}</Button>
      <Button @click="active = false">{{ $t("secondFactor.cancel") }}</Button>
    </div>
  </form>
  <form v-else ref="part" class="step" @submit.prevent="state?.on ? end() : begin()">
    <p>{{ state?.on ? $t("secondFactor.then") : $t("secondFactor.first") }}</p>
    <label
      >{{ $t("secondFactor.password") }}
      <InputPassword v-model:value="password" autocomplete="current-password" required
    /></label>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div class="choices">
      <Button type="primary" html-type="submit" :danger="state?.on" :loading="busy">
        {{ state?.on ? $t("secondFactor.switchOffNow") : $t("secondFactor.continue") }}
      </Button>
      <Button @click="active = false">{{ $t("secondFactor.cancel") }}</Button>
    </div>
  </form>
</template>

<style scoped>
.row {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 12px;
  margin-top: 20px;
  padding-top: 12px;
  border-top: 1px solid var(--rule);
}
.step {
  display: grid;
  gap: 12px;
  justify-items: start;
}
label {
  display: grid;
  gap: 4px;
  width: 100%;
}
.code {
  max-width: 160px;
}
code {
  font-family: var(--mono);
  overflow-wrap: anywhere;
}
img {
  width: 200px;
  border: 1px solid var(--rule-strong);
}
.codes {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 28px;
  margin: 0;
  padding: 10px 14px;
  border: 1px solid var(--rule-strong);
  background: var(--raised);
  list-style: none;
}
.choices {
  display: flex;
  gap: 8px;
}
</style>
