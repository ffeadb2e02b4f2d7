<script setup lang="ts">
/** The door: a name and a password, or, with the demo running, one of its three people. */
import { Button, Input, InputPassword } from "ant-design-vue";
import { ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { useAccount } from "@/account/account";
import CodeField from "@/features/account/CodeField.vue";
import { initials, personColour } from "@/ui/theme";

const account = useAccount();
const router = useRouter();
const route = useRoute();
const username = ref("");
const password = ref("");
const code = ref("");
const busy = ref(false);
const refusal = ref("");

async function enter(way: () => Promise<void>): Promise<void> {
  busy.value = true;
  refusal.value = "";
  try {
    await way();
    const next = typeof route.query.next === "string" ? route.query.next : "/";
    // The operator's pages are not this page's.
    if (/^\/(\?next=\/)?admin\//.test(next)) location.assign("/admin/");
    else await router.replace(next);
  } catch (error) {
    refusal.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="door">
    <section class="about">
      <svg class="drawing" viewBox="0 0 420 520" aria-hidden="true">
        <g class="grid">
          <path v-for="x in 9" :key="`x${x}`" :d="`M${x * 42} 0V520`" />
          <path v-for="y in 10" :key="`y${y}`" :d="`M42 ${y * 52 - 20}H378`" />
        </g>
        <path class="centre" d="M210 0V520" />
        <path class="leans left" d="M210 40C190 80 172 110 178 140S210 180 210 190Z" />
        <path class="leans right" d="M210 250C240 290 262 330 252 372S210 420 210 436Z" />
        <path class="line one" d="M60 0C60 90 84 110 150 140S330 190 350 246 300 330 200 372 92 430 78 520" />
        <path class="line two" d="M318 0C340 60 340 90 318 150S296 250 318 310 344 420 318 520" />
        <path class="line three" d="M118 0V100H142V206H118V312H142V416H118V520" />
        <path class="needle" d="M210 470 218 520H202Z" />
      </svg>
      <div class="words">
        <h1>{{ $t("signIn.wanderingNeedle") }}</h1>
        <p>{{ $t("signIn.placeEverySourceDrawHow") }}</p>
      </div>
    </section>
    <section class="entry">
      <template v-if="account.demo.length">
        <h2>{{ $t("signIn.nightFerryTheDemo") }}</h2>
        <p class="quiet">{{ $t("signIn.signInAsOneOf") }}</p>
        <ul>
          <li v-for="(person, i) in account.demo" :key="person.username">
            <button :disabled="busy" @click="enter(() => account.signInToDemo(person.username))">
              <span class="face" :style="{ background: personColour(i) }">{{ initials(person.name) }}</span>
              <span>
                <b>{{ person.name }}</b>
                <small class="quiet">{{ person.about }}</small>
              </span>
              <span class="go" aria-hidden="true">→</span>
            </button>
          </li>
        </ul>
        <h2 class="own">{{ $t("signIn.yourOwnAccount") }}</h2>
      </template>
      <h2 v-else>{{ $t("signIn.signIn") }}</h2>
      <form @submit.prevent="enter(() => account.signIn(username, password, code))">
        <label
          >{{ $t("signIn.name") }} <Input v-model:value="username" autocomplete="username" required
        /></label>
        <label>
          {{ $t("signIn.password") }}
          <InputPassword v-model:value="password" autocomplete="current-password" required />
        </label>
        <CodeField v-if="account.codeWanted" v-model="code" />
        <Button type="primary" html-type="submit" :loading="busy">{{ $t("signIn.signIn") }}</Button>
      </form>
      <details class="lost">
        <summary class="quiet">{{ $t("signIn.passwordLost") }}</summary>
        <p class="quiet">{{ $t("signIn.askForALink") }}</p>
      </details>
      <p v-if="refusal" class="refusal" role="alert">{{ refusal }}</p>
    </section>
  </div>
</template>

<style scoped>
.door {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 480px;
  min-height: 100%;
}
.about {
  position: relative;
  overflow: hidden;
  border-right: 1px solid var(--rule-strong);
}
.drawing {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.grid path {
  stroke: var(--rule);
}
.centre {
  stroke: var(--ink);
  opacity: 0.5;
}
.leans.left {
  fill: var(--left);
  opacity: 0.22;
}
.leans.right {
  fill: var(--right);
  opacity: 0.22;
}
.line {
  fill: none;
  stroke-width: 2;
}
.one {
  stroke: #a2307a;
  stroke-width: 3;
}
.two {
  stroke: #5b4fb0;
  opacity: 0.6;
}
.three {
  stroke: #7a4a2b;
  opacity: 0.5;
}
.needle {
  fill: var(--ink);
}
.words {
  position: absolute;
  left: 48px;
  right: 48px;
  bottom: 56px;
  max-width: 440px;
  padding: 18px 22px;
  background: var(--paper);
  border-left: 4px solid var(--lamp);
}
.words h1 {
  font-size: 30px;
  letter-spacing: -0.01em;
}
.words p {
  margin-top: 6px;
  font-size: 16px;
}
.entry {
  display: flex;
  flex-direction: column;
  justify-content: center;
  gap: 10px;
  padding: 40px 56px;
  background: var(--panel);
}
.entry h2 {
  font-size: 18px;
}
.own {
  margin-top: 26px;
}
ul {
  display: grid;
  gap: 8px;
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
}
li button {
  display: flex;
  align-items: center;
  gap: 12px;
  width: 100%;
  padding: 10px 14px;
  border: 1px solid var(--rule-strong);
  border-radius: 4px;
  background: var(--raised);
  text-align: left;
  cursor: pointer;
}
li button:hover {
  border-color: var(--ink);
}
.face {
  color: var(--on-lamp);
  display: grid;
  place-items: center;
  width: 34px;
  height: 34px;
  border-radius: 50%;
  font-size: 12px;
  font-weight: 600;
}
small {
  display: block;
}
.go {
  margin-left: auto;
}
form {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
  align-items: end;
}
label {
  display: grid;
  gap: 3px;
  font-size: 13px;
}
input {
  height: 32px;
  padding: 0 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
form button {
  grid-column: 2;
}
.refusal {
  color: var(--wrong);
  font-weight: 600;
}
@media (max-width: 860px) {
  .door {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: 190px auto;
  }
  .words {
    left: 16px;
    right: 16px;
    bottom: 16px;
    padding: 10px 14px;
  }
  .words h1 {
    font-size: 22px;
  }
  .words p {
    font-size: 14px;
  }
  .entry {
    justify-content: start;
    padding: 24px 16px;
  }
}
</style>
