<script setup lang="ts">
/** A way through the room: a shape fitted to bars, looked at and heard before it is taken, or drawn while it plays. */
import { t } from "@/words";
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { Button, Checkbox } from "ant-design-vue";
import { computed, ref, watch } from "vue";
import { useMoves } from "@/session/moves";
import { useRecorder } from "@/session/recorder";
import { useRoom } from "@/session/room";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { usePlayer } from "@/audio/player";
import NumberField from "@/ui/NumberField.vue";

const props = defineProps<{ source: Source }>();
const session = useSession();
const player = usePlayer();
const room = useRoom();
const moves = useMoves();
const monitor = useMonitor();
const recorder = useRecorder();

const SHAPES = [
  { name: "circle", title: t("pathPart.circle") },
  { name: "arc", title: t("pathPart.arc") },
  { name: "line", title: t("pathPart.line") },
  { name: "spiral", title: t("pathPart.spiral") },
];
const shape = ref("circle");
const bars = ref(4);
const turns = ref(1);
const radius = ref(1);
const endRadius = ref(0.3);
const angle = ref(0);
const rises = ref(false);
const low = ref(0);
const high = ref(1);
const toX = ref(1);
const toY = ref(-1);

/** From the bar at the playhead on, or what is picked on the chart. */
const first = computed(() => session.grid.barFrom(player.playhead + 1e-6, 0));
const span = computed(() => {
  if (moves.span) return moves.span;
  const index = session.grid.bars.findIndex((bar) => Math.abs(must(bar.times[0]) - first.value) < 1e-6);
  const last = session.grid.bars[index + bars.value];
  return { start: first.value, end: last ? must(last.times[0]) : session.length };
});
const spanText = computed(() => session.grid.barsText(span.value.start, span.value.end));
const open = ref(false);

function body() {
  const look = (name: Parameter): number => session.valueAt(props.source, name, span.value.start);
  return {
    source: props.source.id, ...span.value, kind: shape.value,
    centre: shape.value === "line" ? [look("pan"), look("front")] : [0, 0],
    to: [toX.value, toY.value], radius: radius.value, end_radius: endRadius.value, angle: angle.value,
    turns: shape.value === "line" ? 0 : turns.value, rise: rises.value ? [low.value, high.value] : null,
  }; // prettier-ignore
}
const look = (): Promise<void> => moves.lookPath(body());
watch(
  [shape, bars, turns, radius, endRadius, angle, rises, low, high, toX, toY],
  () => open.value && void look(),
);

function begin(): void {
  open.value = true;
  void look();
}
function leave(): void {
  open.value = false;
  moves.leave();
}
function take(): void {
  open.value = false;
  moves.apply();
}

const PLACES = computed<Parameter[]>(() => ["pan", "front", "height"]);
const armed = computed(() =>
  PLACES.value.every((parameter) => recorder.modeOf({ owner: props.source.id, parameter }) !== "read"),
);
/** While it plays, what the hand does on the plan is written down: left to right, depth and height at once. */
function arm(): void {
  const mode = armed.value ? "read" : "touch";
  for (const parameter of PLACES.value) recorder.arm({ owner: props.source.id, parameter }, mode);
  room.view = "plan";
}
</script>

<template>
  <section class="paths" :aria-label="$t('pathPart.path')">
    <p v-if="source.mode === 'sides'" class="quiet note">{{ $t("pathPart.eachSideHasAPosition") }}</p>
    <template v-else>
      <Button size="small" :aria-pressed="armed" :disabled="!session.mayEdit" @click="arm">
        {{ armed ? $t("pathPart.armedPlayAndDragIt") : $t("pathPart.recordOnThePlan") }}
      </Button>
      <div class="shapes" role="group" :aria-label="$t('pathPart.shape')">
        <Button
          v-for="one in SHAPES"
          :key="one.name"
          size="small"
          :aria-pressed="open && shape === one.name"
          :disabled="!session.mayEdit"
          @click="((shape = one.name), begin())"
        >
          {{ one.title }}
        </Button>
      </div>
      <template v-if="open">
        <p class="quiet note">
          {{
            $t("pathPart.overSpanMoves", {
              span: spanText,
              moves: moves.span ? $t("pathPart.theRangeOnTheChart") : "",
            })
          }}
        </p>
        <dl>
          <template v-if="!moves.span">
            <dt>{{ $t("pathPart.bars") }}</dt>
            <dd>
              <NumberField
                :value="bars"
                :label="$t('pathPart.bars')"
                :low="1"
                :high="200"
                :step="1"
                :initial="4"
                @set="bars = $event"
              />
            </dd>
          </template>
          <template v-if="shape !== 'line'">
            <dt>{{ $t("pathPart.turnsLeft") }}</dt>
            <dd>
              <NumberField
                :value="turns"
                :label="$t('pathPart.turns')"
                :low="-16"
                :high="16"
                :step="0.25"
                :initial="1"
                @set="turns = $event"
              />
            </dd>
            <dt>{{ $t("pathPart.startsAt") }}</dt>
            <dd>
              <NumberField
                :value="angle"
                :label="$t('pathPart.startsAt')"
                :low="-180"
                :high="180"
                :step="5"
                :initial="0"
                unit="°"
                @set="angle = $event"
              />
            </dd>
            <dt>{{ $t("pathPart.radius") }}</dt>
            <dd>
              <NumberField
                :value="radius"
                :label="$t('pathPart.radius')"
                :low="0"
                :high="1.4"
                :step="0.05"
                :initial="1"
                @set="radius = $event"
              />
            </dd>
          </template>
          <template v-if="shape === 'spiral'">
            <dt>{{ $t("pathPart.radiusAtTheEnd") }}</dt>
            <dd>
              <NumberField
                :value="endRadius"
                :label="$t('pathPart.radiusAtTheEnd')"
                :low="0"
                :high="1.4"
                :step="0.05"
                :initial="0.3"
                @set="endRadius = $event"
              />
            </dd>
          </template>
          <template v-if="shape === 'line'">
            <dt>{{ $t("pathPart.toAcross") }}</dt>
            <dd>
              <NumberField
                :value="toX"
                :label="$t('pathPart.toAcross')"
                :low="-1"
                :high="1"
                :step="0.05"
                :initial="1"
                @set="toX = $event"
              />
            </dd>
            <dt>{{ $t("pathPart.toFrontBack") }}</dt>
            <dd>
              <NumberField
                :value="toY"
                :label="$t('pathPart.toFrontToBack')"
                :low="-1"
                :high="1"
                :step="0.05"
                :initial="-1"
                @set="toY = $event"
              />
            </dd>
          </template>
        </dl>
        <Checkbox v-model:checked="rises" class="rise">
          {{ $t("pathPart.heightChanges") }}
          <template v-if="rises">
            {{ $t("pathPart.from") }}
            <NumberField
              :value="low"
              :label="$t('pathPart.heightAtTheStart')"
              :low="-1"
              :high="1"
              :step="0.05"
              @set="low = $event"
            />
            {{ $t("pathPart.to") }}
            <NumberField
              :value="high"
              :label="$t('pathPart.heightAtTheEnd')"
              :low="-1"
              :high="1"
              :step="0.05"
              @set="high = $event"
            /> </template
        ></Checkbox>
        <p v-if="moves.trouble" class="wrong" role="alert">{{ moves.trouble }}</p>
        <div class="acts">
          <Button type="primary" size="small" :disabled="!moves.draft" @click="take">{{
            $t("pathPart.apply")
          }}</Button>
          <Button
            size="small"
            :disabled="!moves.draft"
            :aria-pressed="monitor.comparing"
            @click="monitor.compare(!monitor.comparing)"
            >{{ $t("pathPart.compareB") }}</Button
          >
          <Button type="link" size="small" @click="leave">{{ $t("pathPart.cancel") }}</Button>
        </div>
      </template>
    </template>
  </section>
</template>

<style scoped>
.wide {
  width: 100%;
}
.shapes {
  display: flex;
  gap: 4px;
  margin: 6px 0;
}
.shapes button {
  flex: 1;
}
dl {
  display: grid;
  grid-template-columns: 1fr 84px;
  align-items: center;
  gap: 1px 6px;
  margin: 0;
  font-size: 13px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
.note {
  margin: 3px 0;
  font-size: 12px;
}
.rise {
  display: flex;
  gap: 5px;
  align-items: center;
  font-size: 12.5px;
}
.rise :deep(input:not([type])) {
  width: 56px;
}
.acts {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 6px;
}
</style>
