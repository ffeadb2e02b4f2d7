<script setup lang="ts">
/** Where the source is now, in large figures, its level and gain, and the places of habit. */
import { Button } from "ant-design-vue";
import type { Parameter, Source } from "@/domain/model";
import { computed } from "vue";
import { endsOf, type Values } from "@/domain/ends";
import { levelText, panText } from "@/domain/format";
import { t } from "@/words";
import { usePreferences } from "@/account/preferences";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { useLibrary } from "@/session/library";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import NumberField from "@/ui/NumberField.vue";
import PlacesNow from "@/shell/details/PlacesNow.vue";
import ParameterField from "@/ui/ParameterField.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const player = usePlayer();
const edits = useEdits();
const hand = useHolding();
const preferences = usePreferences();
const room = useRoom();
const library = useLibrary();

const look = (parameter: Parameter): number => session.valueAt(props.source, parameter, player.playhead);
const holder = computed(() => hand.holderOf(props.source));
const locked = computed(() => !session.mayEdit || !!holder.value);
const shift = computed(() => session.shiftOf(props.source));
const level = computed(() => look("level"));
const sounding = computed(() => session.soundingLevelAt(props.source, player.playhead));
/** What its group and its trim make of what is set: the level and the place that sound. */
const results = computed(() => {
  const group = session.document?.groups[props.source.group]?.name;
  const said = [
    Math.abs(sounding.value - level.value) >= 0.05 && levelText(sounding.value),
    shift.value &&
      endsOf(props.source.mode, look)
        .map((end) => panText(end.at))
        .join(" "),
  ].filter(Boolean);
  if (!said.length) return "";
  const what = { sounds: said.join(", "), group: group ?? "" };
  return group ? t("nowPart.soundsAtWithGroup", what) : t("nowPart.soundsAtWithTrim", what);
});
const automated = computed(() =>
  (["pan", "pan_left", "pan_right", "span", "level"] as Parameter[]).some((parameter) =>
    session.follows(props.source.id, parameter),
  ),
);
const setsPoints = computed(() => preferences.liked.automated === "point");

function quick(to: number): void {
  const values: Values =
    props.source.mode === "sides"
      ? { pan_left: to, pan_right: to }
      : props.source.mode === "span" && to !== 0
        ? { pan: to, span: 0 }
        : { pan: to };
  hand.set(props.source, values);
}
</script>

<template>
  <div class="now" :class="{ flat: room.surround }">
    <PlacesNow v-if="!room.surround" :source="source" />
    <dl>
      <dt>{{ $t("nowPart.level") }}</dt>
      <dd>
        <ParameterField
          live
          parameter="level"
          :value="level"
          :label="$t('nowPart.levelNow')"
          :disabled="!session.mayEdit"
          @set="edits.setValue(source, 'level', $event, player.playhead)"
        />
      </dd>
      <dt :title="$t('nowPart.appliedBeforeEverythingElseFor')">{{ $t("nowPart.gain") }}</dt>
      <dd>
        <NumberField
          live
          :value="session.shown(`${source.id}.gain`, source.gain)"
          :label="$t('nowPart.inputGain')"
          :low="-(library.library?.gain_limit ?? 36)"
          :high="library.library?.gain_limit ?? 36"
          :step="0.5"
          :initial="0"
          unit="dB"
          sign
          :disabled="!session.mayEdit"
          @set="edits.setGain(source, $event)"
        />
      </dd>
    </dl>
  </div>
  <div v-if="!room.surround" class="quick" role="group" :aria-label="$t('nowPart.presets')">
    <Button
      size="small"
      class="side-left"
      :disabled="locked"
      :title="$t('nowPart.hardLeft')"
      @click="quick(-1)"
    >
      L100
    </Button>
    <Button size="small" :disabled="locked" :title="$t('nowPart.centre')" @click="quick(0)">C</Button>
    <Button
      size="small"
      class="side-right"
      :disabled="locked"
      :title="$t('nowPart.hardRight')"
      @click="quick(1)"
    >
      R100
    </Button>
    <Button
      size="small"
      :disabled="locked"
      :title="$t('nowPart.swapLeftAndRightIts')"
      @click="edits.flip([source])"
    >
      {{ $t("nowPart.mirror") }}
    </Button>
  </div>
  <p v-if="holder" class="held">{{ $t("nowPart.nameIsMovingIt", { name: holder.name }) }}</p>
  <p v-if="results" class="quiet note number">{{ results }}</p>
  <p v-if="automated && session.mayEdit" class="quiet note">
    {{
      setsPoints
        ? $t("nowPart.settingItSetsAPoint", { playhead: session.grid.text(player.playhead) })
        : $t("nowPart.settingItMovesTheLine")
    }}
    <Button type="link" size="small" @click="preferences.set({ automated: setsPoints ? 'line' : 'point' })">
      {{ setsPoints ? $t("nowPart.moveTheLineInstead") : $t("nowPart.setPointsInstead") }}
    </Button>
  </p>
</template>

<style scoped>
.now {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-top: 8px;
}
dl {
  display: grid;
  grid-template-columns: auto 78px;
  align-items: center;
  gap: 0 4px;
  margin: 0;
  font-size: 12px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
.flat dl {
  grid-template-columns: auto 78px auto 78px;
}
.quick {
  display: flex;
  gap: 5px;
  margin: 6px 0 9px;
}
.quick button {
  flex: 1 0 auto;
}
.note,
.held {
  margin: -2px 0 8px;
  font-size: 12px;
}
.held {
  font-weight: 600;
}
</style>
