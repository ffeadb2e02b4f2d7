<script setup lang="ts">
/** How a room of loudspeakers is heard here, only by oneself: on headphones, folded down, or one loudspeaker alone. */
import { t } from "@/words";
import { computed, ref } from "vue";
import { useAsked } from "@/api/asked";
import { postFile, remove, type Schemas } from "@/api/http";
import { useLibrary } from "@/session/library";
import { useRoom } from "@/session/room";
import { useMonitor } from "@/audio/monitor";
import { say } from "@/ui/say";

const library = useLibrary();
const room = useRoom();
const monitor = useMonitor();
const { answer, again: look } = useAsked<Schemas["HeadOut"][]>(() => "/api/heads");
const heads = computed(() => answer.value ?? []);
const file = ref<HTMLInputElement>();
const busy = ref(false);

const ways = computed(() => library.library?.monitors ?? []);
/** A way of listening, and by how much a stereo session is louder in this layout through it. */
function titleOf(way: { name: string; title: string }): string {
  const gain = (room.layout?.fold_gains[way.name] ?? 0).toFixed(1);
  return Number(gain) ? `${way.title} ${Number(gain) > 0 ? "+" : "−"}${gain.replace("-", "")} dB` : way.title;
}
const head = computed(() => heads.value.find((one) => one.monitor === monitor.latched));

function pick(event: Event): void {
  const select = event.target as HTMLSelectElement;
  const wanted = select.value;
  if (wanted === "bring") {
    select.value = monitor.latched;
    file.value?.click();
  } else if (wanted === "forget") {
    select.value = monitor.latched;
    void forget();
  } else monitor.listen(wanted);
}

async function bring(): Promise<void> {
  const given = file.value?.files?.[0];
  if (!given) return;
  busy.value = true;
  try {
    const made = await postFile<Schemas["HeadOut"]>("/api/heads", given);
    await look();
    monitor.listen(made.monitor);
    say.done(t("listenPick.monitoringThroughNameMeasuredFrom", { name: made.name, measured: made.measured }));
  } catch (error) {
    say.wrong((error as Error).message);
  } finally {
    busy.value = false;
    if (file.value) file.value.value = "";
  }
}

async function forget(): Promise<void> {
  const gone = head.value;
  if (!gone) return;
  monitor.listen("headphones");
  try {
    await remove(`/api/heads/${gone.id}`);
    await look();
  } catch (error) {
    say.wrong((error as Error).message);
  }
}
</script>

<template>
  <label class="listen" :title="$t('listenPick.monitoringOfTheRoomOnly')">
    <select
      :value="monitor.latched"
      :disabled="busy"
      :aria-label="$t('listenPick.roomMonitoring')"
      @change="pick"
    >
      <option v-for="one in ways" :key="one.name" :value="one.name">{{ titleOf(one) }}</option>
      <optgroup v-if="heads.length" :label="$t('listenPick.importedHRTFs')">
        <option v-for="one in heads" :key="one.id" :value="one.monitor">{{ one.name }}</option>
      </optgroup>
      <optgroup :label="$t('listenPick.oneLoudspeaker')">
        <option v-for="one in room.channels" :key="one.name" :value="`speaker:${one.name}`">
          {{ $t("listenPick.onlyLabel", { label: one.label }) }}
        </option>
      </optgroup>
      <optgroup :label="$t('listenPick.headphones')">
        <option value="bring">{{ $t("listenPick.importHRTFSOFA") }}</option>
        <option v-if="head" value="forget">{{ $t("listenPick.deleteName", { name: head.name }) }}</option>
      </optgroup>
    </select>
    <input
      ref="file"
      type="file"
      accept=".sofa"
      hidden
      :aria-label="$t('listenPick.sOFAFile')"
      @change="bring"
    />
  </label>
</template>

<style scoped>
.listen {
  display: flex;
  gap: 5px;
  align-items: center;
}
select {
  height: 26px;
  max-width: 118px;
  padding: 0 4px;
  border: 1px solid var(--bar-rule);
  border-radius: 3px;
  background: none;
  color: inherit;
  font-size: 13px;
}
option,
optgroup {
  background: var(--raised);
  color: var(--ink);
}
</style>
