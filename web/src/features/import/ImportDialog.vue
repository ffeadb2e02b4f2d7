<script setup lang="ts">
/** Bringing stems in: many at once, each with its progress, and what it is said as soon as it has been heard. */
import { channelsText } from "@/domain/format";
import { must } from "@/domain/must";
import { t } from "@/words";
import { Button, Checkbox, Input, Modal } from "ant-design-vue";
import { computed, ref } from "vue";
import { clockText } from "@/domain/grid";
import NumberField from "@/ui/NumberField.vue";
import { useArrivals, type Arrival } from "./uploads";

const open = defineModel<boolean>("open", { required: true });
const arrivals = useArrivals();
const picker = ref<HTMLInputElement>();
const over = ref(false);

const words: Record<string, string> = {
  waiting: "waiting",
  receiving: "sending",
  away: t("importDialog.waitingForTheConnection"),
  reading: t("importDialog.analysing"),
  ready: "ready",
  cancelled: t("importDialog.cancelled"),
  failed: t("importDialog.rejected"),
};
const moving = (one: Arrival): boolean => ["receiving", "reading", "away", "waiting"].includes(one.status);
const size = (bytes: number): string =>
  bytes >= 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.max(Math.round(bytes / 1e3), 1)} kB`;
const about = (one: Arrival): string =>
  one.asset
    ? `${clockText(one.asset.seconds)} · ${one.asset.rate / 1000} kHz · ${channelsText(one.asset.channels)}`
    : size(one.file.size);
const count = computed(() =>
  arrivals.ready.reduce((sum, one) => sum + (one.split ? must(one.asset).channels : 1), 0),
);

function chosen(event: Event): void {
  const input = event.target as HTMLInputElement;
  arrivals.take(input.files ?? []);
  input.value = "";
}

function dropped(event: DragEvent): void {
  over.value = false;
  arrivals.take(event.dataTransfer?.files ?? []);
}

function finish(): void {
  arrivals.intoSession();
  if (!arrivals.arrivals.length) open.value = false;
}
</script>

<template>
  <Modal
    v-model:open="open"
    :title="$t('importDialog.importStems')"
    :footer="null"
    :width="720"
    :mask-closable="false"
  >
    <div
      class="drop"
      :class="{ over, small: arrivals.arrivals.length }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="dropped"
    >
      <p>
        <b>{{ $t("importDialog.dropFilesHere") }}</b>{{ $t("importDialog.or") }}
        <Button type="link" size="small" @click="picker?.click()">{{
          $t("importDialog.chooseFiles")
        }}</Button>
      </p>
      <p class="quiet">{{ $t("importDialog.wAVRF64FLACAIFFOgg") }}</p>
      <input
        ref="picker"
        type="file"
        multiple
        class="hidden-label"
        :aria-label="$t('importDialog.filesToImport')"
        accept="audio/*,.wav,.rf64,.w64,.flac,.aif,.aiff,.ogg,.mp3"
        @change="chosen"
      />
    </div>
    <ul v-if="arrivals.arrivals.length" :aria-label="$t('importDialog.filesBeingImported')">
      <li v-for="one in arrivals.arrivals" :key="one.key" :class="one.status">
        <div class="line">
          <Input
            v-model:value="one.name"
            class="name"
            :aria-label="$t('importDialog.nameForName', { name: one.file.name })"
            :maxlength="100"
            @keydown.stop
          />
          <span class="quiet number">{{ about(one) }}</span>
          <span class="status" role="status">{{ words[one.status] ?? one.status }}</span>
          <Button
            v-if="moving(one)"
            size="small"
            :aria-label="$t('importDialog.cancelName', { name: one.file.name })"
            @click="arrivals.stop(one)"
          >
            {{ $t("importDialog.cancel") }}
          </Button>
          <Button
            v-else-if="one.status === 'ready'"
            size="small"
            :aria-label="$t('importDialog.leaveOutName', { name: one.file.name })"
            @click="arrivals.drop(one)"
          >
            {{ $t("importDialog.leaveOut") }}
          </Button>
          <template v-else>
            <Button size="small" @click="arrivals.again(one)">
              {{ $t("importDialog.tryAgain") }}
            </Button>
            <Button
              size="small"
              :aria-label="$t('importDialog.removeNameFromTheList', { name: one.file.name })"
              @click="arrivals.drop(one)"
            >
              ×
            </Button>
          </template>
        </div>
        <div
          v-if="moving(one)"
          class="bar"
          role="progressbar"
          :aria-valuenow="Math.round(one.share * 100)"
          aria-valuemin="0"
          aria-valuemax="100"
        >
          <span :style="{ width: `${one.share * 100}%` }" />
        </div>
        <p v-if="one.trouble" class="trouble" role="alert">{{ one.trouble }}</p>
        <div v-if="one.asset" class="about">
          <p
            :class="{
              warns:
                one.asset.character.clipped ||
                one.asset.character.gain ||
                one.asset.character.kind === 'silent',
            }"
          >
            {{ one.asset.character.sentence }}
          </p>
          <Checkbox v-if="one.asset.character.gain" v-model:checked="one.gain">
            {{ $t("importDialog.useSuggestedGain") }}</Checkbox
          >
          <Checkbox v-if="one.asset.channels > 1" v-model:checked="one.split">
            {{ $t("importDialog.splitToMono") }}</Checkbox
          >
          <label class="start"
            >{{ $t("importDialog.startsAt") }}
            <NumberField
              :value="one.start"
              :label="$t('importDialog.startOfName', { name: one.name })"
              :low="0"
              :high="86400"
              :step="0.001"
              :initial="0"
              unit="s"
              @set="one.start = $event"
          /></label>
        </div>
      </li>
    </ul>
    <p v-if="arrivals.notice" class="warns room" role="status">{{ arrivals.notice }}</p>
    <p class="quiet foot">{{ $t("importDialog.allFilesStartTogetherUnless") }}</p>
    <div class="buttons">
      <Button @click="open = false">{{
        arrivals.open ? $t("importDialog.continueInTheBackground") : $t("importDialog.close")
      }}</Button>
      <Button type="primary" :disabled="!count" @click="finish">
        {{ $t("importDialog.importSources", { count }, count) }}
      </Button>
    </div>
  </Modal>
</template>

<style scoped>
.drop {
  margin-top: 12px;
  padding: 34px 20px;
  border: 1.5px dashed var(--rule-strong);
  border-radius: 4px;
  background: var(--paper);
  text-align: center;
}
.drop.small {
  padding: 12px 20px;
}
.drop.over {
  border-color: var(--lamp);
  background: var(--lamp-wash);
}
ul {
  max-height: 42vh;
  margin: 12px 0 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
li {
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
}
.line {
  display: flex;
  align-items: center;
  gap: 10px;
}
.name {
  flex: 1;
  min-width: 0;
  height: 26px;
  padding: 0 6px;
  border: 1px solid transparent;
  border-radius: 3px;
  background: none;
  font-weight: 600;
}
.name:hover,
.name:focus {
  border-color: var(--rule-strong);
}
.number {
  font-size: 12px;
  white-space: nowrap;
}
.status {
  min-width: 96px;
  font-size: 13px;
  text-align: right;
}
.bar {
  height: 3px;
  margin: 4px 0 0 7px;
  background: var(--rule);
}
.bar span {
  display: block;
  height: 100%;
  background: var(--right);
}
.about {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
  padding-left: 7px;
  font-size: 13px;
}
.about p {
  flex: 1 1 260px;
}
.room {
  margin: 12px 0 0;
}
.warns {
  font-weight: 600;
}
.trouble {
  padding-left: 7px;
  font-size: 13px;
}
.start {
  display: flex;
  align-items: center;
  gap: 4px;
}
.start input {
  width: 80px;
}
.foot {
  margin-top: 10px;
  font-size: 12.5px;
}
.buttons {
  flex-wrap: wrap;
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  margin-top: 14px;
}
</style>
