<script setup lang="ts">
/** What the session is called, how long it is, and what it was made with. */
import { computed } from "vue";
import { clockText } from "@/domain/grid";
import { operation, useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import NumberField from "@/ui/NumberField.vue";

const session = useSession();
const edits = useEdits();
const follows = computed(() => session.settings?.length === 0);

function rename(event: Event): void {
  const name = (event.target as HTMLInputElement).value.trim();
  if (name && name !== session.settings?.name) edits.make(operation("set-session", { name }));
}
</script>

<template>
  <div v-if="session.settings" class="part">
    <label
      ><span>{{ $t("generalPart.name") }}</span>
      <input
        :value="session.settings.name"
        :disabled="!session.mayEdit"
        maxlength="120"
        @change="rename"
        @keydown.stop
    /></label>
    <label
      ><span>{{ $t("generalPart.length") }}</span>
      <span class="length">
        <select
          :value="follows ? 'follows' : 'fixed'"
          :disabled="!session.mayEdit"
          :aria-label="$t('generalPart.howTheLengthIsSet')"
          @change="
            edits.make(
              operation('set-session', { length: follows ? Math.round(session.length * 1000) / 1000 : 0 }),
            )
          "
        >
          <option value="follows">{{ $t("generalPart.followsTheSourcesAndTheir") }}</option>
          <option value="fixed">{{ $t("generalPart.endsAt") }}</option>
        </select>
        <NumberField
          v-if="!follows"
          class="seconds"
          :value="session.settings.length"
          :label="$t('generalPart.lengthInSeconds')"
          :low="0.1"
          :high="86400"
          :step="0.1"
          unit="s"
          :disabled="!session.mayEdit"
          @set="edits.make(operation('set-session', { length: $event }))"
        />
        <span class="quiet number">{{ clockText(session.length) }}</span>
      </span>
    </label>
    <dl>
      <dt>{{ $t("generalPart.samplingRate") }}</dt>
      <dd class="number">
        {{ $t("generalPart.rateKHzSetWhenThe", { rate: session.settings.rate / 1000 }) }}
      </dd>
    </dl>
  </div>
</template>

<style scoped>
.part {
  display: grid;
  gap: 10px;
}
label {
  display: grid;
  grid-template-columns: 110px 1fr;
  align-items: center;
}
input,
select {
  height: 30px;
  padding: 0 8px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.length {
  display: flex;
  gap: 8px;
  align-items: center;
}
.seconds {
  width: 100px;
  border-color: var(--rule-strong);
}
dl {
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 6px 0;
  margin: 0;
}
dd {
  margin: 0;
}
</style>
