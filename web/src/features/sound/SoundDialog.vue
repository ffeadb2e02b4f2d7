<script setup lang="ts">
/** Sound on this device: how it comes over the line, which device plays it, and which output each channel has. */
import { Button, Checkbox, Modal } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { usePreferences, type Liked } from "@/account/preferences";
import { useMonitor } from "@/audio/monitor";
import { LEAST_TRIM, MOST_DELAY, MOST_TRIM, useOutputs, type Row } from "@/audio/outputs";
import { LOUDSPEAKERS, usePlayer } from "@/audio/player";
import { decibels } from "@/domain/format";
import { must } from "@/domain/must";
import { FORMS, speedText } from "@/domain/sound";
import { useRoom } from "@/session/room";
import EarMark from "@/ui/EarMark.vue";
import { say } from "@/ui/say";
import ValueField from "@/ui/ValueField.vue";
import { t } from "@/words";
import { formText } from "./forms";

const open = defineModel<boolean>("open", { required: true });
const outputs = useOutputs();
const player = usePlayer();
const monitor = useMonitor();
const preferences = usePreferences();
const room = useRoom();

const choices: [Liked["sound"], string, string][] = [
  ["auto", t("soundDialog.automatic"), t("soundDialog.theBestThatTheLine")],
  ...FORMS.map((form): [Liked["sound"], string, string] => [
    form,
    formText(form),
    t("soundDialog.needs", { needs: speedText(player.need(form)) }),
  ]),
];

const layout = computed(() => player.monitored.layout);
const channels = computed(() => player.monitored.channels);
const rows = computed(() => outputs.rowsOf(layout.value, channels.value));
const lacking = computed(() => rows.value.filter((row) => row.output === null).length);
const set = (name: string, change: Partial<Row>): void =>
  outputs.set(layout.value, channels.value, name, change);

/** The channel that a burst tells from the others just now. */
const sounding = ref("");
async function identify(name: string): Promise<void> {
  sounding.value = name;
  try {
    await player.identify(name);
  } catch (error) {
    say.wrong((error as Error).message);
  } finally {
    if (sounding.value === name) sounding.value = "";
  }
}

async function find(): Promise<void> {
  try {
    await outputs.look(true);
  } catch {
    say.careful(t("soundDialog.theBrowserDoesNotName"));
  }
}
watch(open, (is) => is && void outputs.look().catch(() => undefined), { immediate: true });

const number = (text: string): number | null => {
  const value = Number(
    text
      .replace(",", ".")
      .replace("−", "-")
      .replace(/\s*(dB|ms)$/, ""),
  );
  return text.trim() && Number.isFinite(value) ? value : null;
};
const limited = (value: number, low: number, high: number): number => Math.min(Math.max(value, low), high);
</script>

<template>
  <Modal v-model:open="open" :title="$t('soundDialog.soundOnThisDevice')" :footer="null" :width="620">
    <p class="quiet"><EarMark /> {{ $t("soundDialog.onlyForYou") }}</p>
    <section>
      <h3 class="heading">{{ $t("soundDialog.overTheLine") }}</h3>
      <p>
        {{
          player.speed === null
            ? $t("soundDialog.comesAs", { form: formText(player.form) })
            : $t("soundDialog.comesAsBecause", {
                form: formText(player.form),
                carries: speedText(player.speed),
              })
        }}
        {{ $t("soundDialog.exportsAreNever") }}
      </p>
      <fieldset>
        <legend class="hidden-label">{{ $t("soundDialog.overTheLine") }}</legend>
        <label v-for="[value, title, what] in choices" :key="value">
          <input
            type="radio"
            name="sound"
            :value="value"
            :checked="preferences.liked.sound === value"
            @change="preferences.set({ sound: value })"
          />
          <b>{{ title }}</b> <span class="quiet">{{ what }}</span>
        </label>
      </fieldset>
    </section>
    <section>
      <h3 class="heading">{{ $t("soundDialog.outputDevice") }}</h3>
      <div v-if="outputs.canChoose" class="line">
        <select v-model="outputs.device" :aria-label="$t('soundDialog.outputDevice')">
          <option value="">{{ $t("soundDialog.theSystemsOutput") }}</option>
          <option v-for="(one, i) in outputs.devices" :key="one.id" :value="one.id">
            {{ one.name || $t("soundDialog.device", { number: i + 1 }) }}
          </option>
        </select>
        <Button size="small" :title="$t('soundDialog.browsersNameDevicesOnly')" @click="find">
          {{ $t("soundDialog.findDevices") }}
        </Button>
      </div>
      <p v-else class="quiet">{{ $t("soundDialog.thisBrowserPlaysToThe") }}</p>
      <p v-if="outputs.trouble" class="trouble" role="alert">{{ outputs.trouble }}</p>
    </section>
    <section>
      <h3 class="heading">{{ $t("soundDialog.outputs") }}</h3>
      <p v-if="room.surround && player.monitor !== LOUDSPEAKERS" class="line">
        {{ $t("soundDialog.twoSidesAreHeard") }}
        <Button size="small" @click="monitor.listen(LOUDSPEAKERS)">
          {{ $t("soundDialog.monitorOnLoudspeakers") }}
        </Button>
      </p>
      <p v-if="lacking" class="trouble" role="status">
        {{ $t("soundDialog.fewOutputs", { count: lacking, outputs: outputs.count }) }}
      </p>
      <div class="wide">
        <table>
          <thead>
            <tr>
              <th scope="col">{{ $t("soundDialog.channel") }}</th>
              <th scope="col">{{ $t("soundDialog.output") }}</th>
              <th scope="col">{{ $t("soundDialog.trim") }}</th>
              <th scope="col">{{ $t("soundDialog.delay") }}</th>
              <th scope="col">{{ $t("soundDialog.mute") }}</th>
              <th scope="col">
                <span class="hidden-label">{{ $t("soundDialog.identify") }}</span>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(one, i) in channels" :key="one.name" :class="{ sounding: sounding === one.name }">
              <th scope="row">{{ one.label }}</th>
              <td>
                <select
                  :value="must(rows[i]).output ?? ''"
                  :aria-label="$t('soundDialog.outputOf', { channel: one.label })"
                  @change="
                    set(one.name, {
                      output: ($event.target as HTMLSelectElement).value
                        ? Number(($event.target as HTMLSelectElement).value)
                        : null,
                    })
                  "
                >
                  <option value="">{{ $t("soundDialog.none") }}</option>
                  <option v-for="output in outputs.count" :key="output" :value="output - 1">
                    {{ output }}
                  </option>
                </select>
              </td>
              <td>
                <ValueField
                  :value="must(rows[i]).trim"
                  :label="$t('soundDialog.trimOf', { channel: one.label })"
                  :text="(value) => `${decibels(value)} dB`"
                  :parse="number"
                  :step="0.1"
                  :big-step="1"
                  :low="LEAST_TRIM"
                  :high="MOST_TRIM"
                  :initial="0"
                  @set="set(one.name, { trim: limited($event, LEAST_TRIM, MOST_TRIM) })"
                />
              </td>
              <td>
                <ValueField
                  :value="must(rows[i]).delay"
                  :label="$t('soundDialog.delayOf', { channel: one.label })"
                  :text="(value) => `${value.toFixed(2)} ms`"
                  :parse="number"
                  :step="0.1"
                  :big-step="1"
                  :low="0"
                  :high="MOST_DELAY"
                  :initial="0"
                  @set="set(one.name, { delay: limited($event, 0, MOST_DELAY) })"
                />
              </td>
              <td>
                <Checkbox
                  :checked="must(rows[i]).muted"
                  :aria-label="$t('soundDialog.muteOf', { channel: one.label })"
                  @change="set(one.name, { muted: !must(rows[i]).muted })"
                />
              </td>
              <td>
                <Button
                  size="small"
                  :title="$t('soundDialog.aShortBurst')"
                  :aria-label="$t('soundDialog.identifyChannel', { channel: one.label })"
                  @click="identify(one.name)"
                >
                  {{ sounding === one.name ? one.label : $t("soundDialog.identify") }}
                </Button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div class="line">
        <Checkbox v-model:checked="outputs.dimmed">{{ $t("soundDialog.dim") }}</Checkbox>
        <Button size="small" @click="outputs.reset(layout)">{{ $t("soundDialog.usualOutputs") }}</Button>
      </div>
    </section>
  </Modal>
</template>

<style scoped>
section {
  margin-top: 16px;
}
section > p {
  margin: 4px 0 8px;
}
fieldset {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 16px;
  margin: 0;
  padding: 0;
  border: 0;
}
label {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
label:first-of-type {
  grid-column: 1 / -1;
}
select {
  height: 26px;
  padding: 0 4px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  color: inherit;
}
b {
  min-width: 84px;
  font-weight: 600;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  justify-content: space-between;
}
.wide {
  overflow-x: auto;
}
table {
  width: 100%;
  min-width: 440px;
  margin: 6px 0 10px;
  border-collapse: collapse;
}
th,
td {
  padding: 3px 6px 3px 0;
  border-bottom: 1px solid var(--rule);
  text-align: left;
  font-weight: 400;
}
th[scope="row"] {
  min-width: 44px;
  font-weight: 600;
}
td:nth-child(3),
td:nth-child(4) {
  width: 92px;
}
.sounding {
  background: var(--lamp-wash, var(--raised));
}
@media (max-width: 640px) {
  fieldset {
    grid-template-columns: 1fr;
  }
}
</style>
