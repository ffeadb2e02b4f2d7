<script setup lang="ts">
/** The numbers of a range operation. Each change is looked at at once. */
import { Checkbox } from "ant-design-vue";
import type { Parameter } from "@/domain/model";
import { t } from "@/words";
import { computed } from "vue";
import { SHAPES } from "@/desks/move/chart/shapes";
import { SNAPS } from "@/session/tools";
import { clamp } from "@/domain/format";
import { FACES } from "@/domain/parameters";
import { useMoves, type Edit } from "@/session/moves";
import { useSession } from "@/session/session";
import NumberField from "@/ui/NumberField.vue";
import ParameterField from "@/ui/ParameterField.vue";

const props = defineProps<{ edit: Edit; parameter: Parameter }>();
const emit = defineEmits<{ set: [edit: Edit] }>();
const session = useSession();
const moves = useMoves();
const MOST_CROSSINGS = 512;

interface Common {
  title: string;
  label: string;
}
/** A plain number: as many shown units as it takes to make one of the edit's. */
interface Plain extends Common {
  kind: "number";
  value: number;
  per: number;
  low: number;
  high: number;
  step: number;
  unit?: string;
  initial?: number;
  sign?: boolean;
  set: (value: number) => void;
}
interface Place extends Common {
  kind: "place";
  value: number;
  set: (value: number) => void;
}
interface Choice extends Common {
  kind: "choice";
  value: string | number;
  options: { value: string | number; title: string }[];
  set: (value: string) => void;
}
type Field = Plain | Place | Choice;

const isLevel = computed(() => FACES[props.parameter].unit === 0.5);
const change = (values: object): void => emit("set", { ...props.edit, ...values });

/** The parameter's own unit: hundredths of the way, or decibels. */
const amount = computed(() =>
  isLevel.value ? { per: 1, unit: "dB", step: 0.5 } : { per: 100, unit: "", step: 1 },
);
const number = (label: string, title: string, value: number, more: Omit<Plain, keyof Common | "kind" | "value">): Plain => ({
  kind: "number", label, title, value, ...more,
}); // prettier-ignore
const place = (label: string, title: string, value: number, set: (value: number) => void): Place => ({
  kind: "place", label, title, value, set,
}); // prettier-ignore

/** The length that a stretched move has, in quarter notes. */
function stretched(seconds: number): Plain {
  const start = moves.span?.start ?? 0;
  const from = session.grid.quarterAt(start);
  const beats = Math.round((session.grid.quarterAt(start + seconds) - from) * 100) / 100;
  return number(t("editFields.stretchTo"), "to", beats, {
    per: 1, low: 0.1, high: 4096, step: 0.25, unit: "beats",
    set: (wanted) => change({ seconds: session.grid.secondsOfBeat(from + wanted) - start }),
  }); // prettier-ignore
}

const fields = computed<Field[]>(() => {
  const { edit } = props;
  if (edit.kind === "shift")
    return [
      number(t("editFields.shiftBy"), "by", edit.by, {
        ...amount.value, low: -200, high: 200, sign: true, set: (by) => change({ by }),
      }),
    ]; // prettier-ignore
  if (edit.kind === "widen")
    return [
      number(t("editFields.scaleTo"), "to", edit.factor, {
        per: 100, low: 0, high: 1000, step: 1, unit: "%", initial: 1, set: (factor) => change({ factor }),
      }),
      place(t("editFields.scaleAbout"), "about", edit.centre ?? 0, (centre) => change({ centre })),
    ]; // prettier-ignore
  if (edit.kind === "mirror")
    return [place(t("editFields.mirrorAbout"), "about", edit.centre ?? 0, (centre) => change({ centre }))];
  if (edit.kind === "stretch") return [stretched(edit.seconds)];
  if (edit.kind === "move") return [movedBy(edit.by)];
  if (edit.kind === "smooth")
    return [
      number(t("editFields.smoothOver"), "over", edit.seconds ?? 0.25, {
        per: 1000, low: 5, high: 60000, step: 50, unit: "ms", initial: 0.25, set: (seconds) => change({ seconds }),
      }),
    ]; // prettier-ignore
  if (edit.kind === "thin")
    return [
      number(t("editFields.simplifyWithin"), "within", edit.grain ?? (isLevel.value ? 0.2 : 0.01), {
        ...amount.value, low: 0.1, high: 50, step: amount.value.step / 2, set: (grain) => change({ grain }),
      }),
    ]; // prettier-ignore
  if (edit.kind === "quantise")
    return [
      {
        kind: "choice", label: t("editFields.grid"), title: t("editFields.to"), value: edit.parts ?? 4,
        options: [
          { value: 0, title: t("editFields.bar") },
          ...SNAPS.filter((one) => one.parts > 0).map((one) => ({ value: one.parts, title: one.title })),
        ],
        set: (parts) => change({ parts: Number(parts) }),
      },
      number("Strength", "strength", edit.strength ?? 1, {
        per: 100, low: 0, high: 100, step: 5, unit: "%", initial: 1, set: (strength) => change({ strength }),
      }),
    ]; // prettier-ignore
  if (edit.kind === "hold")
    return [place(t("editFields.constantAt"), "at", edit.value, (value) => change({ value }))];
  if (edit.kind !== "sweep") return [];
  return [
    place(t("editFields.sweepFrom"), "from", edit.from_value, (value) => change({ from_value: value })),
    place(t("editFields.sweepTo"), "to", edit.to_value, (value) => change({ to_value: value })),
    number("Crossings", "crossings", edit.crossings ?? 1, {
      per: 1, low: 1, high: MOST_CROSSINGS, step: 1, set: (count) => change({ crossings: Math.round(count) }),
    }),
    eachCrossing(edit.crossings ?? 1),
    {
      kind: "choice", label: t("editFields.shapeOfEachCrossing"), title: t("editFields.shape"), value: edit.shape ?? "ease",
      options: SHAPES.map((shape) => ({ value: shape, title: t(`shapes.${shape}`) })), set: (shape) => change({ shape }),
    },
  ]; // prettier-ignore
});

/** How far a stretch is moved, in quarter notes. */
function movedBy(seconds: number): Plain {
  const start = moves.span?.start ?? 0;
  const from = session.grid.quarterAt(start);
  const beats = Math.round((session.grid.quarterAt(start + seconds) - from) * 100) / 100;
  return number(t("editFields.moveBy"), "by", beats, {
    per: 1, low: -4096, high: 4096, step: 1, unit: "beats", sign: true,
    set: (wanted) => change({ by: session.grid.secondsOfBeat(from + wanted) - start }),
  }); // prettier-ignore
}

/** How long a crossing lasts, in quarter notes: as many are made of it as the range has room for. */
function eachCrossing(crossings: number): Plain {
  const { start, end } = moves.span ?? { start: 0, end: 0 };
  const beats = session.grid.quarterAt(end) - session.grid.quarterAt(start);
  return number(t("editFields.lengthOfEachCrossing"), "each", Math.round((beats / crossings) * 1e4) / 1e4, {
    per: 1, low: 1 / 16, high: 4096, step: 1, unit: "beats",
    set: (each) => change({ crossings: clamp(Math.round(beats / each), 1, MOST_CROSSINGS) }),
  }); // prettier-ignore
}

/** How it leads there and back: not where points are only taken away, or all of it is moved in time. */
const glide = computed<Field[]>(() =>
  ["thin", "stretch", "move"].includes(props.edit.kind)
    ? []
    : [
        number(t("editFields.glideAtBothEdges"), "glide", moves.glide, {
          per: 1000, low: 0, high: 60000, step: 50, unit: "ms", initial: 0, set: (value) => (moves.glide = value),
        }),
      ],
); // prettier-ignore
const stays = computed(() => props.edit.kind === "sweep" || props.edit.kind === "hold");
</script>

<template>
  <div class="fields">
    <label v-for="field in [...fields, ...glide]" :key="field.label">
      <span>{{ field.title }}</span>
      <NumberField
        v-if="field.kind === 'number'"
        :value="field.value * field.per"
        :label="field.label"
        :low="field.low"
        :high="field.high"
        :step="field.step"
        :unit="field.unit"
        :initial="field.initial === undefined ? undefined : field.initial * field.per"
        :sign="field.sign"
        @set="field.set($event / field.per)"
      />
      <ParameterField
        v-else-if="field.kind === 'place'"
        :parameter="parameter"
        :value="field.value"
        :label="field.label"
        @set="field.set"
      />
      <select
        v-else
        :value="field.value"
        :aria-label="field.label"
        @change="field.set(($event.target as HTMLSelectElement).value)"
      >
        <option v-for="one in field.options" :key="one.value" :value="one.value">{{ one.title }}</option>
      </select>
    </label>
    <Checkbox v-if="stays" v-model:checked="moves.stay" class="check"
      ><span>{{ $t("editFields.staysThereUntilTheNext") }}</span></Checkbox
    >
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 3px 12px;
}
label {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px;
  min-height: 26px;
  font-size: 13px;
}
label > :deep(input:not([type="checkbox"])),
label select {
  width: 78px;
  flex: none;
}
label select {
  height: 24px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.check {
  grid-column: 1 / -1;
  justify-content: flex-start;
}
</style>
