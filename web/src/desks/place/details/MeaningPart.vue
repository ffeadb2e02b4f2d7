<script setup lang="ts">
/** What panning means for a source of several channels: the ways there are, each with its picture and its price. */
import { Button, Checkbox } from "ant-design-vue";
import { radioKey } from "@/ui/radioKeys";
import type { Parameter, Source } from "@/domain/model";
import { t } from "@/words";
import { useLocalStorage } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { decibels, levelText } from "@/domain/format";
import { operation, batch, useEdits } from "@/session/edits";
import type { PlacementReading } from "./reading";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import ParameterField from "@/ui/ParameterField.vue";
import ModePicture from "./ModePicture.vue";

const props = defineProps<{ source: Source; reading: PlacementReading | null }>();
const session = useSession();
const player = usePlayer();
const edits = useEdits();
const library = useLibrary();

/** The ways there are, and what each would be as far as it has been read. */
const modes = computed(() => {
  const shown = [...(session.modes[props.source.channels] ?? []), props.source.mode];
  return (library.library?.modes ?? [])
    .filter((mode) => shown.includes(mode.name))
    .map((mode) => ({ ...mode, read: props.reading?.modes.find((one) => one.name === mode.name) }));
});
const chosen = computed(() => modes.value.find((mode) => mode.name === props.source.mode));
const own = (parameter: Parameter): number => session.valueAt(props.source, parameter, player.playhead);

/** What each way would look like: as it stands now, or as it would stand. */
function valuesOf(mode: (typeof modes.value)[number]): (parameter: Parameter) => number {
  if (mode.name === props.source.mode) return own;
  return (parameter) => (mode.read?.values[parameter] as number | undefined) ?? own(parameter);
}

const fields = computed<{ parameter: Parameter; title: string }[]>(() =>
  props.source.mode === "sides"
    ? [
        { parameter: "level_left", title: t("meaningPart.leftSideSLevel") },
        { parameter: "width_left", title: t("meaningPart.leftSideSWidth") },
        { parameter: "level_right", title: t("meaningPart.rightSideSLevel") },
        { parameter: "width_right", title: t("meaningPart.rightSideSWidth") },
      ]
    : props.source.mode === "span"
      ? [
          { parameter: "pan", title: t("meaningPart.centre") },
          { parameter: "span", title: t("meaningPart.spanToEitherSide") },
        ]
      : [],
);

/** A side that is off or lower: what is on it is not all there, whatever the way of panning. */
const uneven = computed(() => {
  if (props.source.mode !== "sides") return "";
  const levels = [own("level_left"), own("level_right")] as const;
  return levels.every((level) => Math.abs(level) < LEAST)
    ? ""
    : t("meaningPart.sidesAreNotEven", { left: levelText(levels[0]), right: levelText(levels[1]) });
});

const thrown = computed(() => {
  if (!["balance", "mono"].includes(props.source.mode)) return null;
  if (!props.reading) return t("meaningPart.loading");
  const { lost, lost_db, kept_db } = props.reading;
  if (lost < 0.0005) return t("meaningPart.nothingIsLostByPanning");
  const percent = Math.max(Math.round(lost * 100), 1);
  return t("meaningPart.lostByPanningLoudnessWeighted", {
    percent: percent,
    decibels: decibels(lost_db),
    decibels2: decibels(kept_db),
  });
});

const change = (value: number): string =>
  Math.abs(value) < 0.05 ? t("meaningPart.sameLevel") : `${decibels(value)} dB`;

/** Whether the gain makes up for what another way of panning does to the level. */
const even = useLocalStorage("meaning-keeps-level", true);
const LEAST = 0.05;

/** What was chosen before the reading of the present has come: the values of an earlier one would not be its own. */
const wished = ref("");
const isCurrent = computed(
  () => !session.connected || (session.isSettled && props.reading?.revision === session.revision),
);
watch(
  () => props.source.id,
  () => (wished.value = ""),
);
watch([wished, isCurrent], () => {
  const mode = modes.value.find((one) => one.name === wished.value);
  if (!mode || !isCurrent.value) return;
  wished.value = "";
  take(mode);
});

function take({ name, title, read }: (typeof modes.value)[number]): void {
  if (name === props.source.mode || !read) return;
  const placing = operation("place-source", { source: props.source.id, ...read.values });
  const evening = operation("set-gain", { source: props.source.id, gain: read.gain });
  const both = even.value && Math.abs(read.change) >= LEAST;
  edits.make(
    batch(
      t("meaningPart.namePannedAsTitle", { name: props.source.name, title: title }),
      both ? [placing, evening] : [placing],
    ),
  );
}
</script>

<template>
  <div class="modes" role="radiogroup" :aria-label="$t('meaningPart.panMode')" @keydown="radioKey">
    <button
      v-for="mode in modes"
      :key="mode.name"
      role="radio"
      :tabindex="mode.name === source.mode ? 0 : -1"
      :aria-checked="mode.name === source.mode"
      :disabled="!session.mayEdit || !mode.read"
      :title="mode.sentence"
      :aria-busy="mode.name === wished"
      @click="wished = mode.name"
    >
      <ModePicture :mode="mode.name" :value="valuesOf(mode)" :colour="source.colour" />
      <span>{{ mode.title }}</span>
      <small class="number">{{
        mode.name === source.mode
          ? $t("meaningPart.now")
          : mode.name === wished
            ? "…"
            : mode.read
              ? change(mode.read.change)
              : "…"
      }}</small>
    </button>
  </div>
  <p v-if="uneven" class="note lost" role="status">
    {{ uneven }}
    <Button
      type="link"
      size="small"
      :disabled="!session.mayEdit"
      @click="edits.place(source, { level_left: 0, level_right: 0 })"
    >
      {{ $t("meaningPart.bothAtZero") }}
    </Button>
  </p>
  <p v-else class="note">{{ chosen?.sentence }}</p>
  <p v-if="thrown" class="note thrown" :class="{ lost: (reading?.lost ?? 0) > 0.05 }" role="status">
    {{ thrown }}
  </p>
  <Checkbox v-model:checked="even" class="even"> {{ $t("meaningPart.gainMatchesTheChangeOf") }}</Checkbox>
  <label v-for="field in fields" :key="field.parameter" class="field">
    <span>{{ field.title }}</span>
    <ParameterField
      live
      :parameter="field.parameter"
      :value="own(field.parameter)"
      :label="field.title"
      :disabled="!session.mayEdit"
      @set="edits.setValue(source, field.parameter, $event, player.playhead)"
    />
  </label>
</template>

<style scoped>
.modes {
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr));
  gap: 4px;
}
.modes button {
  display: grid;
  justify-items: center;
  padding: 4px 2px 3px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
  font-size: 12px;
  cursor: pointer;
}
.modes button[aria-checked="true"] {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
  font-weight: 600;
}
.modes button:disabled {
  cursor: default;
}
small {
  color: var(--quiet);
  font-size: 10px;
  font-weight: 400;
}
.note {
  margin-top: 6px;
  font-size: 12px;
  line-height: 1.4;
}
/* Two lines, so that nothing below jumps when it has been read. */
.thrown {
  min-height: 2.8em;
}
.lost {
  font-weight: 600;
}
.even {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-top: 5px;
  color: var(--quiet);
  font-size: 12px;
}
.field {
  display: grid;
  grid-template-columns: 1fr 90px;
  align-items: center;
  margin-top: 4px;
  font-size: 13px;
}
</style>
