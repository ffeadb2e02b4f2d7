<script setup lang="ts">
/** Where the source is in the room: its direction in large figures, every coordinate to be typed, and what widens it. */
import { Button, Checkbox } from "ant-design-vue";
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { t } from "@/words";
import { computed, ref } from "vue";
import { directionText } from "@/domain/format";
import { FACES } from "@/domain/parameters";
import { usePlanHand } from "@/gestures/planDrag";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import ParameterField from "@/ui/ParameterField.vue";
import ValueField from "@/ui/ValueField.vue";
import { say } from "@/ui/say";

const props = defineProps<{ source: Source }>();
const session = useSession();
const player = usePlayer();
const edits = useEdits();
const hand = useHolding();
const room = useRoom();
const plan = usePlanHand();

const look = (parameter: Parameter): number => session.valueAt(props.source, parameter, player.playhead);
const locked = computed(() => !session.mayEdit || !!hand.holderOf(props.source));
const polar = computed(() => room.polarNow);
const direction = computed(() => (polar.value ? directionText(polar.value[0], polar.value[1]) : "–"));
const side = computed(() => {
  const azimuth = polar.value?.[0] ?? 0;
  return Math.abs(azimuth) < 0.5 || Math.abs(azimuth) > 179.5 ? "" : azimuth > 0 ? "side-left" : "side-right";
});
const byRoom = ref(true);

const sides = computed(() => props.source.mode === "sides");
const rows = computed<{ parameter: Parameter; title: string }[]>(() =>
  sides.value
    ? [
        { parameter: "pan_left", title: t("wherePart.leftAcross") },
        { parameter: "front_left", title: t("wherePart.ofItsDepth") },
        { parameter: "height_left", title: t("wherePart.ofItsHeight") },
        { parameter: "width_left", title: t("wherePart.ofItsWidth") },
        { parameter: "pan_right", title: t("wherePart.rightAcross") },
        { parameter: "front_right", title: t("wherePart.ofItsDepth") },
        { parameter: "height_right", title: t("wherePart.ofItsHeight") },
        { parameter: "width_right", title: t("wherePart.ofItsWidth") },
      ]
    : [
        { parameter: "pan", title: t("wherePart.across") },
        { parameter: "front", title: t("wherePart.frontBack") },
        { parameter: "height", title: t("wherePart.height") },
        ...(props.source.mode === "span" ? [{ parameter: "span" as const, title: t("wherePart.span") }] : []),
      ],
);
const more = computed<{ parameter: Parameter; title: string }[]>(() => [
  { parameter: "spread", title: t("wherePart.spread") },
  { parameter: "rotation", title: t("wherePart.rotation") },
  { parameter: "centre_level", title: t("wherePart.centreLevel") },
  ...(room.channels.some((one) => one.lfe) ? [{ parameter: "lfe" as const, title: "LFE" }] : []),
]);
const POLAR = [
  { title: t("wherePart.azimuth"), low: -180, high: 180, step: 1, hint: t("wherePart.degreesToTheLeft") },
  { title: t("wherePart.elevation"), low: -90, high: 90, step: 1, hint: t("wherePart.degreesUpwards") },
  { title: t("wherePart.distance"), low: 0, high: 1, step: 0.01, hint: t("wherePart.n100IsTheRoomS") },
] as const;
const polarText =
  (index: number) =>
  (value: number): string =>
    index === 2 ? `${Math.round(value * 100)} %` : `${Math.round(value)}°`.replace("-", "−");
const parsePolar =
  (index: number) =>
  (text: string): number | null => {
    const value = Number(text.replace(/[°%]/g, "").replace("−", "-").trim());
    if (!text.trim() || Number.isNaN(value)) return null;
    return index === 2 ? value / 100 : value;
  };

const set = (parameter: Parameter, value: number): void =>
  edits.setValue(props.source, parameter, value, player.playhead);

async function setPolar(index: number, value: number): Promise<void> {
  const wanted = [...(polar.value ?? [0, 0, 1])] as [number, number, number];
  wanted[index] = value;
  try {
    const { values } = await room.placeOf(props.source, { polar: wanted });
    edits.setValues(props.source, values, player.playhead);
  } catch (error) {
    say.wrong((error as Error).message);
  }
}
const PLACES_OF_HABIT: { name: string; title: string; x: number; y: number }[] = [
  { name: "L", title: t("wherePart.frontLeft"), x: -1, y: 1 },
  { name: "C", title: t("wherePart.frontCentre"), x: 0, y: 1 },
  { name: "R", title: t("wherePart.frontRight"), x: 1, y: 1 },
  { name: t("wherePart.ls"), title: t("wherePart.rearLeft"), x: -1, y: -1 },
  { name: t("wherePart.rs"), title: t("wherePart.rearRight"), x: 1, y: -1 },
  { name: "all", title: t("wherePart.centreOfTheRoomEvery"), x: 0, y: 0 },
];
function quick(x: number, y: number): void {
  hand.set(props.source, plan.valuesFor(props.source, "whole", { across: x, depth: y }), false);
}
</script>

<template>
  <section class="where" :aria-label="$t('wherePart.positionInTheRoom')">
    <div class="top">
      <b class="direction" :class="side" role="status">{{ direction }}</b>
      <span class="choice" role="group" :aria-label="$t('wherePart.coordinates')">
        <Button size="small" :aria-pressed="byRoom" @click="byRoom = true">
          {{ $t("wherePart.room") }}
        </Button>
        <Button
          size="small"
          :aria-pressed="!byRoom"
          :disabled="sides"
          :title="sides ? $t('wherePart.eachSideHasAPosition') : ''"
          @click="byRoom = false"
        >
          {{ $t("wherePart.polar") }}
        </Button>
      </span>
    </div>
    <dl v-if="byRoom || sides">
      <template v-for="row in rows" :key="row.parameter">
        <dt>{{ row.title }}</dt>
        <dd>
          <ParameterField
            live
            :parameter="row.parameter"
            :value="look(row.parameter)"
            :label="$t('wherePart.titleNow', { title: FACES[row.parameter].title })"
            :disabled="locked"
            @set="set(row.parameter, $event)"
          />
        </dd>
      </template>
      <template v-if="polar && !sides">
        <dt>{{ $t("wherePart.distance") }}</dt>
        <dd class="number told">{{ Math.round(polar[2] * 100) }} %</dd>
      </template>
    </dl>
    <dl v-else-if="polar">
      <template v-for="(row, i) in POLAR" :key="row.title">
        <dt>{{ row.title }}</dt>
        <dd>
          <ValueField
            :value="must(polar[i])"
            :label="$t('wherePart.titleNow', { title: row.title })"
            :text="polarText(i)"
            :parse="parsePolar(i)"
            :step="row.step"
            :big-step="row.step * 10"
            :low="row.low"
            :high="row.high"
            :initial="i === 2 ? 1 : 0"
            :hint="row.hint"
            :disabled="locked"
            @set="setPolar(i, $event)"
          />
        </dd>
      </template>
    </dl>
    <div class="quick" role="group" :aria-label="$t('wherePart.positionPresetsInTheRoom')">
      <Button
        v-for="one in PLACES_OF_HABIT"
        :key="one.name"
        size="small"
        :title="one.title"
        :disabled="locked"
        @click="quick(one.x, one.y)"
      >
        {{ one.name }}
      </Button>
    </div>
    <dl>
      <template v-for="row in more" :key="row.parameter">
        <dt>{{ row.title }}</dt>
        <dd>
          <ParameterField
            live
            :parameter="row.parameter"
            :value="look(row.parameter)"
            :label="$t('wherePart.titleNow', { title: row.title })"
            :disabled="!session.mayEdit"
            @set="set(row.parameter, $event)"
          />
        </dd>
      </template>
    </dl>
    <div class="row">
      <Checkbox v-model:checked="room.locked.across" :title="$t('wherePart.aDragDoesNotChange')">
        {{ $t("wherePart.lockAcross") }}</Checkbox
      >
      <Checkbox v-model:checked="room.locked.along" :title="$t('wherePart.aDragDoesNotChange')">
        {{ $t("wherePart.lockDepth") }}</Checkbox
      >
      <Checkbox
        :checked="session.shown(`${source.id}.snap`, source.snap)"
        :title="$t('wherePart.playsFromTheNearestLoudspeaker')"
        :disabled="!session.mayEdit"
        @change="edits.place(source, { snap: !source.snap })"
      >
        {{ $t("wherePart.snap") }}</Checkbox
      >
      <Button type="link" size="small" :disabled="locked" @click="plan.reset(source)">
        {{ $t("wherePart.resetPosition") }}
      </Button>
    </div>
  </section>
</template>

<style scoped>
.where {
  margin: 6px 0 8px;
}
.top {
  display: flex;
  align-items: baseline;
  justify-content: space-between;
  margin-bottom: 4px;
}
.direction {
  font-size: 18px;
  font-weight: 600;
}
.choice {
  display: flex;
  gap: 4px;
}
dl {
  display: grid;
  grid-template-columns: 1fr 96px;
  align-items: center;
  gap: 1px 6px;
  margin: 0 0 6px;
  font-size: 13px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
.told {
  padding-left: 7px;
}
.quick {
  display: flex;
  gap: 4px;
  margin-bottom: 8px;
}
.quick button {
  flex: 1;
  min-width: 0;
  padding: 0;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 3px 12px;
  align-items: center;
  font-size: 12.5px;
}
</style>
