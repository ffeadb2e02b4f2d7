<script setup lang="ts">
/** A new session: what it is called, its sampling rate, tempo, metre and layout. */
import { Button, Input, Modal } from "ant-design-vue";
import { reactive, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { post, type Schemas } from "@/api/http";
import { useLibrary } from "@/session/library";

const open = defineModel<boolean>("open", { required: true });
const router = useRouter();
const library = useLibrary();
const given = reactive({ name: "", rate: 48000, bpm: 120, beats: 4, unit: 4, layout: "0+2+0" });
const trouble = ref("");
const busy = ref(false);

watch(open, (now) => now && void library.arrive());

async function make(): Promise<void> {
  busy.value = true;
  trouble.value = "";
  try {
    const made = await post<Schemas["OpenSession"]>("/api/sessions", given);
    await router.push(`/sessions/${made.id}`);
  } catch (error) {
    trouble.value = (error as Error).message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <Modal v-model:open="open" :title="$t('newSession.newSession')" :footer="null" :width="440">
    <form @submit.prevent="make">
      <label
        ><span>{{ $t("newSession.name") }}</span
        ><Input
          v-model:value="given.name"
          required
          :maxlength="120"
          :placeholder="$t('newSession.titleOfThePiece')"
      /></label>
      <label
        ><span>{{ $t("newSession.samplingRate") }}</span>
        <select v-model="given.rate">
          <option v-for="rate in library.library?.rates" :key="rate" :value="rate">
            {{ $t("newSession.rateKHz", { rate: rate / 1000 }) }}
          </option>
        </select></label
      >
      <label
        ><span>{{ $t("newSession.tempo") }}</span
        ><span class="pair"
          ><input
            v-model.number="given.bpm"
            type="number"
            min="10"
            max="400"
            step="0.1"
            required
            :aria-label="$t('newSession.tempoInBpm')"
          />
          {{ $t("newSession.bpm") }}</span
        ></label
      >
      <label
        ><span>{{ $t("newSession.metre") }}</span>
        <span class="pair"
          ><input
            v-model.number="given.beats"
            type="number"
            min="1"
            max="32"
            required
            :aria-label="$t('newSession.beatsInABar')"
          />
          /
          <select v-model="given.unit" :aria-label="$t('newSession.beatUnit')">
            <option v-for="unit in [1, 2, 4, 8, 16, 32]" :key="unit" :value="unit">{{ unit }}</option>
          </select></span
        ></label
      >
      <label
        ><span>{{ $t("newSession.layout") }}</span>
        <select v-model="given.layout">
          <option v-for="one in library.library?.layouts" :key="one.name" :value="one.name">
            {{ one.title }} ({{ one.name }})
          </option>
        </select></label
      >
      <p class="quiet">{{ $t("newSession.stemsAtOtherSamplingRates") }}</p>
      <p v-if="trouble" role="alert" class="trouble">{{ trouble }}</p>
      <Button type="primary" html-type="submit" :loading="busy" :disabled="!given.name.trim()">{{
        $t("newSession.create")
      }}</Button>
    </form>
  </Modal>
</template>

<style scoped>
form {
  display: grid;
  gap: 10px;
  margin-top: 12px;
}
label {
  display: grid;
  grid-template-columns: 120px 1fr;
  align-items: center;
}
.pair {
  display: flex;
  gap: 8px;
  align-items: center;
}
.pair input {
  width: 84px;
}
input,
select {
  height: 30px;
  padding: 0 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
form button {
  justify-self: end;
}
</style>
