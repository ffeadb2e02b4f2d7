<script setup lang="ts">
/** The picked stretch: which lanes it is of, and what can be done with it. Everything is looked at before it is made. */
import { Button, Checkbox } from "ant-design-vue";
import { must } from "@/domain/must";
import { t } from "@/words";
import { computed } from "vue";
import { useChartView } from "@/session/view";
import { BARS } from "@/domain/grid";
import { FACES } from "@/domain/parameters";
import { useMoves, type Edit } from "@/session/moves";
import { useSession } from "@/session/session";
import { useTakes } from "@/session/takes";
import { useMonitor } from "@/audio/monitor";
import ValueField from "@/ui/ValueField.vue";
import EditFields from "./EditFields.vue";
import PastePart from "./PastePart.vue";

const session = useSession();
const view = useChartView();
const moves = useMoves();
const takes = useTakes();
const monitor = useMonitor();

const value = computed(() => (view.lane ? session.laneValueAt(view.lane, moves.span?.start ?? 0) : 0));

const CHOICES: { kind: Edit["kind"]; title: string; tip: string; first: () => Edit }[] = [
  {
    kind: "shift", title: t("rangePart.shift"), tip: t("rangePart.moveToOneSideOr"),
    first: () => ({ kind: "shift", by: FACES[view.parameter].unit === 0.5 ? -3 : 0.1 }),
  },
  {
    kind: "widen", title: t("rangePart.scale"), tip: t("rangePart.fartherOutOrCloserIn"),
    first: () => ({ kind: "widen", factor: 1.25, centre: 0 }),
  },
  {
    kind: "mirror", title: t("rangePart.mirror"), tip: t("rangePart.swapLeftAndRight"),
    first: () => ({ kind: "mirror", centre: 0 }),
  },
  {
    kind: "reverse", title: t("rangePart.reverse"), tip: t("rangePart.fromEndToStart"),
    first: () => ({ kind: "reverse" }),
  },
  {
    kind: "stretch", title: t("rangePart.stretchInTime"), tip: t("rangePart.slowerOrFaster"),
    first: () => ({ kind: "stretch", seconds: (must(moves.span).end - must(moves.span).start) * 2 }),
  },
  {
    kind: "move", title: t("rangePart.moveInTime"), tip: t("rangePart.laterOrEarlier"),
    first: () => ({
      kind: "move", by: session.grid.step(must(moves.span).start, 1, 1) - must(moves.span).start,
    }),
  },
  {
    kind: "smooth", title: t("rangePart.smooth"), tip: t("rangePart.removesJitter"),
    first: () => ({ kind: "smooth", seconds: 0.25 }),
  },
  {
    kind: "thin", title: t("rangePart.simplify"), tip: t("rangePart.fewerPointsForTheSame"),
    first: () => ({ kind: "thin" }),
  },
  {
    kind: "quantise", title: t("rangePart.quantize"), tip: t("rangePart.movesPointsToTheGrid"),
    first: () => ({ kind: "quantise", parts: view.gridParts === BARS ? 0 : view.gridParts || 4, strength: 1 }),
  },
  {
    kind: "hold", title: t("rangePart.constant"), tip: t("rangePart.oneValueThroughout"),
    first: () => ({ kind: "hold", value: value.value }),
  },
  {
    kind: "sweep", title: t("rangePart.sweep"), tip: t("rangePart.aNumberOfCrossingsBetween"),
    first: () => ({
      kind: "sweep", from_value: value.value, to_value: -value.value || 0.5, crossings: 1, shape: "ease", tension: 0,
    }),
  },
  {
    kind: "delete", title: t("rangePart.clear"), tip: t("rangePart.noPointsInsideStraightFrom"),
    first: () => ({ kind: "delete" }),
  },
]; // prettier-ignore

function choose(kind: Edit["kind"]): void {
  const choice = must(CHOICES.find((one) => one.kind === kind));
  // Where a sweep has led it stays, unless one says otherwise.
  if (moves.edit?.kind !== kind) moves.stay = kind === "sweep";
  void moves.look(choice.first());
}

/** Returns sweep together: the same of every other return may be changed along, or mirrored. */
const isOfReturn = computed(() => view.of.startsWith("return:"));
const lanesOfReturns = computed(() =>
  session.returns.flatMap((one) =>
    view.lane ? [{ owner: `return:${one.id}`, parameter: view.lane.parameter }] : [],
  ),
);
/** Other lanes that can be drawn on the same numbers. */
const others = computed(() =>
  (isOfReturn.value ? lanesOfReturns.value : view.lanesHere).filter(
    (one) =>
      view.lane &&
      (one.owner === view.lane.owner || isOfReturn.value) &&
      moves.keyOf(one) !== moves.keyOf(view.lane) &&
      FACES[one.parameter].text === FACES[view.parameter].text &&
      FACES[one.parameter].high === FACES[view.parameter].high,
  ),
);
/** Both sides are given places: they may cross each other. */
const crosses = computed(
  () =>
    (moves.edit?.kind === "sweep" || moves.edit?.kind === "hold") &&
    moves.lanes.some((one) => moves.isCrossing(one)),
);

const counted = computed(() => {
  const found = moves.draft;
  if (!found) return "";
  const now = found.writes.reduce((sum, write) => sum + write.points.length, 0);
  return found.writes.length ? t("rangePart.pointCount", { count: now }, now) : t("rangePart.noChange");
});
</script>

<template>
  <section
    v-if="(moves.span || moves.pasting) && !takes.waiting"
    class="part"
    data-decides
    :aria-label="$t(moves.span ? 'rangePart.range' : 'rangePart.pasteHeading')"
  >
    <h3 v-if="!moves.span" class="heading">{{ $t("rangePart.pasteHeading") }}</h3>
    <template v-if="moves.span">
      <h3 class="heading">
        {{ $t("rangePart.rangeHeading") }}
        <span class="number">{{ session.grid.barsText(moves.span.start, moves.span.end) }}</span>
        <Button
          type="link"
          size="small"
          :title="$t('rangePart.clearTheSelectionEscape')"
          @click="moves.letGo"
        >
          {{ $t("rangePart.clearSelection") }}
        </Button>
      </h3>
      <div class="edges">
        <label>
          <span>{{ $t("rangePart.from") }}</span>
          <ValueField
            :value="moves.span.start"
            :label="$t('rangePart.rangeStart')"
            :text="(at) => session.grid.text(at)"
            :parse="(text) => session.grid.parse(text)"
            :hint="$t('rangePart.typeABarAndBeat')"
            @set="moves.pick($event, must(moves.span).end)"
          />
        </label>
        <label>
          <span>{{ $t("rangePart.to") }}</span>
          <ValueField
            :value="moves.span.end"
            :label="$t('rangePart.rangeEnd')"
            :text="(at) => session.grid.text(at)"
            :parse="(text) => session.grid.parse(text)"
            :hint="$t('rangePart.typeABarAndBeat2')"
            @set="moves.pick(must(moves.span).start, $event)"
          />
        </label>
      </div>
      <div v-if="others.length" class="along">
        <span class="quiet">{{ $t("rangePart.alsoEdit") }}</span>
        <Button
          v-for="one in others"
          :key="moves.keyOf(one)"
          size="small"
          :aria-pressed="moves.isAlong(one)"
          @click="moves.toggleAlong(one)"
        >
          {{ isOfReturn ? view.nameOf(one.owner) : FACES[one.parameter].title }}
        </Button>
      </div>
      <div v-if="session.mayEdit" class="choices" role="group" :aria-label="$t('rangePart.editTheRange')">
        <Button
          v-for="one in CHOICES"
          :key="one.kind"
          size="small"
          :aria-pressed="moves.edit?.kind === one.kind"
          :title="one.tip"
          @click="choose(one.kind)"
        >
          {{ one.title }}
        </Button>
        <Button size="small" :title="$t('rangePart.copyTheAutomationCtrlC')" @click="moves.copy">
          {{ $t("rangePart.copy") }}
        </Button>
        <Button
          size="small"
          :aria-pressed="moves.pasting"
          :disabled="!moves.clip"
          :title="$t('rangePart.pasteTheCopiedAutomation')"
          @click="moves.startPasting"
        >
          {{ $t("rangePart.paste") }}
        </Button>
      </div>
    </template>
    <Checkbox v-if="crosses" v-model:checked="moves.crossing" class="cross">
      {{ $t("rangePart.mirroredForTheOtherSide") }}</Checkbox
    >
    <EditFields v-if="moves.edit" :edit="moves.edit" :parameter="view.parameter" @set="moves.look" />
    <PastePart v-if="moves.pasting && moves.clip" />
    <p v-if="moves.trouble" class="trouble" role="alert">{{ moves.trouble }}</p>
    <div v-if="moves.draft || moves.pasting" class="decide">
      <span class="quiet number" role="status">{{ counted }}</span>
      <Button
        v-if="moves.draft"
        size="small"
        class="lit"
        :aria-pressed="monitor.comparing"
        :title="$t('rangePart.compareItOnlyForYou')"
        @click="monitor.compare(!monitor.comparing)"
      >
        {{ $t("rangePart.compareB") }}
      </Button>
      <Button size="small" :title="$t('rangePart.cancelEscape')" @click="moves.leave">
        {{ $t("rangePart.cancel") }}
      </Button>
      <Button
        v-if="moves.draft"
        type="primary"
        size="small"
        :title="$t('rangePart.applyTheChangeEnter')"
        @click="moves.apply"
      >
        {{ $t("rangePart.apply") }}
      </Button>
    </div>
  </section>
</template>

<style scoped>
.part {
  padding-bottom: 6px;
}
.heading {
  display: flex;
  align-items: baseline;
  gap: 6px;
  margin: 12px 0 5px;
}
.heading .ant-btn-link {
  margin-left: auto;
  font-size: 12px;
  font-weight: 400;
  letter-spacing: 0;
  text-transform: none;
}
.edges {
  display: flex;
  gap: 12px;
  margin-bottom: 5px;
}
.edges label {
  display: flex;
  align-items: center;
  gap: 6px;
  flex: 1;
  font-size: 13px;
}
.along {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px;
  margin-bottom: 6px;
  font-size: 12px;
}
.choices {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 4px;
  margin-bottom: 6px;
}
.choices button {
  height: 27px;
  min-width: 0;
  padding: 0;
}
.cross {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-bottom: 3px;
  font-size: 13px;
}
.decide {
  position: sticky;
  bottom: -10px;
  display: flex;
  align-items: center;
  gap: 5px;
  margin-top: 4px;
  padding: 4px 0;
  background: var(--panel);
}
.decide .number {
  flex: 1;
  font-size: 11px;
}
.decide button {
  height: 27px;
}
.trouble {
  margin-top: 5px;
  font-size: 13px;
}
</style>
