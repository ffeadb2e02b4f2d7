<script setup lang="ts">
/** Beside what is handed over: the session's named versions, and what comes in from files. */
import { Button, Input } from "ant-design-vue";
import { computed, onMounted, ref } from "vue";
import { useHistory } from "@/features/history/history";
import { useSession } from "@/session/session";
import { momentText } from "@/ui/moment";
import ImportPart from "@/desks/hand-over/import/ImportPart.vue";

defineEmits<{ bringIn: []; history: [] }>();
const session = useSession();
const history = useHistory();
const called = ref("");
onMounted(() => void history.lookAtVersions());

const named = computed(() => history.versions.find((one) => one.revision === session.revision));
async function name(): Promise<void> {
  if (called.value.trim() && (await history.name(session.settled(), called.value.trim()))) called.value = "";
}
</script>

<template>
  <section :aria-label="$t('handOverDetails.versions')">
    <h2>{{ $t("handOverDetails.versions") }}</h2>
    <p v-if="history.trouble" class="trouble" role="alert">{{ history.trouble }}</p>
    <form v-if="session.mayEdit" class="line" @submit.prevent="name">
      <Input
        v-model:value="called"
        :maxlength="120"
        :placeholder="$t('handOverDetails.nameForRRevision', { revision: session.revision })"
        :aria-label="$t('handOverDetails.nameOfTheVersion')"
      />
      <Button size="small" html-type="submit" :disabled="!called.trim()">
        {{ $t("handOverDetails.save") }}
      </Button>
    </form>
    <ul v-if="history.versions.length">
      <li v-for="one in history.versions" :key="one.id">
        <b>{{ one.name }}</b>
        <span class="quiet number"
          >r{{ one.revision }} · {{ one.author }} · {{ momentText(one.created_at) }}</span
        >
      </li>
    </ul>
    <p v-else class="quiet">{{ $t("handOverDetails.noNamedVersionsYetName") }}</p>
    <p v-if="named" class="quiet">{{ $t("handOverDetails.theSessionIsAtVersion", { name: named.name }) }}</p>
    <Button type="link" size="small" @click="$emit('history')">{{
      $t("handOverDetails.fullHistory")
    }}</Button>
  </section>
  <section v-if="session.mayEdit" :aria-label="$t('handOverDetails.import')">
    <h2>{{ $t("handOverDetails.import") }}</h2>
    <Button size="small" @click="$emit('bringIn')">{{ $t("handOverDetails.stems") }}</Button>
    <ImportPart />
    <p class="quiet">{{ $t("handOverDetails.aWholeSessionAsA") }}</p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 8px;
  justify-items: start;
  padding-bottom: 16px;
}
section + section {
  padding-top: 12px;
  border-top: 1px solid var(--rule-strong);
}
h2 {
  font-size: 15px;
}
.line {
  display: flex;
  gap: 6px;
  width: 100%;
}
input {
  width: 0;
  flex: 1;
  min-width: 0;
  height: 27px;
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
ul {
  width: 100%;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
.quiet {
  font-size: 12.5px;
}
</style>
