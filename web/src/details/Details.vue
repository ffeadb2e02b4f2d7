<script setup lang="ts">
/** The chosen source: where it is now, what its line follows, its points, and the lean it is heard against. */
import { Button } from "ant-design-vue";
import { computed, watch } from "vue";
import { useChartView } from "@/chart/view";
import { leanText, levelText, sideClass } from "@/geometry/pan";
import { FACES } from "@/geometry/parameters";
import { useEdits } from "@/session/edits";
import { useHand } from "@/session/hand";
import { useLean } from "@/session/lean";
import { useLibrary } from "@/session/library";
import { useSession, type Parameter } from "@/session/session";
import { usePlayer } from "@/sound/player";
import { inkOf } from "@/ui/theme";
import PlacesNow from "./PlacesNow.vue";
import PlaceDetails from "./place/PlaceDetails.vue";
import ReturnDetails from "./place/ReturnDetails.vue";
import SeveralDetails from "./place/SeveralDetails.vue";
import PointsTable from "./PointsTable.vue";

defineProps<{ desk: string }>();
const session = useSession();
const player = usePlayer();
const view = useChartView();
const edits = useEdits();
const hand = useHand();
const lean = useLean();
const library = useLibrary();

const shownReturn = computed(() =>
  view.focus === "return" ? session.returns.find((one) => one.id === view.layer) : undefined,
);
const source = computed(() => session.sources.find((one) => one.id === player.chosen));
const mode = computed(() => library.library?.modes.find((one) => one.name === source.value?.mode));
const level = computed(() => (source.value ? session.valueAt(source.value, "level", player.playhead) : 0));
const points = computed(() => (source.value ? session.points(source.value.id, view.parameter) : []));
const automated = computed(() => !!source.value && session.points(source.value.id, "pan").length > 0);
const holder = computed(() => source.value && hand.holderOf(source.value));
/** What the chosen source's way of panning can be automated in. */
const follows = computed<{ parameter: Parameter; title: string }[]>(() => {
  const found = [...((mode.value?.parameters ?? ["pan"]) as Parameter[]), "level" as Parameter];
  if (source.value?.channels === 2) found.push("width");
  return found.map((parameter) => ({ parameter, title: FACES[parameter].title }));
});
watch(follows, (offered) => {
  if (!offered.some((one) => one.parameter === view.parameter)) choose(offered[0]!.parameter);
});
const snaps = [
  { parts: 1, title: "beat" },
  { parts: 2, title: "1/2 beat" },
  { parts: 3, title: "1/3 beat" },
  { parts: 4, title: "1/4 beat" },
  { parts: 0, title: "nothing" },
];
const here = computed(() => lean.lean?.long[Math.floor(player.playhead / (lean.lean?.hop ?? 1))] ?? null);
const stretch = computed(() =>
  lean.lean?.stretches.find((one) => player.playhead >= one.start && player.playhead < one.end),
);

function choose(parameter: Parameter): void {
  view.parameter = parameter;
  view.point = null;
}
</script>

<template>
  <aside class="details" aria-label="Details">
    <ReturnDetails v-if="shownReturn" :to="shownReturn" />
    <SeveralDetails v-else-if="view.selection.length > 1" />
    <PlaceDetails v-else-if="source && desk === 'place'" :key="source.id" :source="source" />
    <template v-else-if="source">
      <header>
        <span class="ink" :style="{ background: inkOf(source.ink) }" />
        <h2>{{ source.name }}</h2>
        <span class="quiet">{{ source.channels === 2 ? "stereo" : "mono" }}</span>
      </header>

      <h3 class="heading">Now</h3>
      <div class="now">
        <PlacesNow :source="source" />
        <p class="quiet">
          {{ levelText(level) }}<br />
          {{
            source.mode === "pan"
              ? `panned by ${session.settings?.law.replace("-", " ")}`
              : `panned as ${mode?.title ?? source.mode}`
          }}
        </p>
      </div>
      <p v-if="holder" class="held">{{ holder.name }} is moving it now.</p>
      <p v-else-if="automated && session.mayEdit" class="quiet note">
        Automated: moving it puts a point at the playhead, {{ session.grid.text(player.playhead) }}.
      </p>

      <h3 class="heading">Automation</h3>
      <div class="choices" role="group" aria-label="What the chart's line follows">
        <button
          v-for="one in follows"
          :key="one.parameter"
          class="small-button"
          :aria-pressed="view.parameter === one.parameter"
          @click="choose(one.parameter)"
        >
          {{ one.title }}
        </button>
      </div>
      <label class="field">
        <span>Snap to</span>
        <select v-model="view.gridParts">
          <option v-for="one in snaps" :key="one.parts" :value="one.parts">{{ one.title }}</option>
        </select>
      </label>

      <h3 class="heading points">
        Points <span class="number">{{ points.length || "" }}</span>
        <Button
          v-if="points.length"
          type="text"
          size="small"
          :disabled="!session.mayEdit"
          @click="edits.clearLane(source.id, view.parameter)"
          >clear all</Button
        >
      </h3>
      <PointsTable :source="source" :points="points" />

      <h3 class="heading">Heard against</h3>
      <dl>
        <dt>Lean here, 3 s</dt>
        <dd class="number" :class="sideClass(here)">{{ leanText(here) }}</dd>
        <template v-if="stretch">
          <dt>{{ session.grid.text(stretch.start) }} to {{ session.grid.text(stretch.end) }}</dt>
          <dd class="number" :class="sideClass(stretch.mean_db)">{{ leanText(stretch.mean_db) }}</dd>
        </template>
      </dl>
      <p class="quiet note">
        {{
          stretch
            ? `Out of tolerance: over ${lean.lean?.tolerance_db} dB for ${lean.lean?.tolerance_seconds} s or more.`
            : "Within tolerance here."
        }}
      </p>
    </template>
    <p v-else class="empty quiet">
      Choose a source in the list or in the picture. What it is, where it stands and how it moves appear here.
    </p>
  </aside>
</template>

<style scoped>
.details {
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: 14px 16px 12px;
  overflow-y: auto;
  background: var(--panel);
  border-left: 1px solid var(--rule-strong);
}
header {
  display: flex;
  align-items: center;
  gap: 10px;
}
header h2 {
  flex: 1;
  font-size: 17px;
}
.ink {
  width: 5px;
  height: 22px;
}
h3 {
  margin: 14px 0 5px;
}
.now {
  display: flex;
  align-items: center;
  gap: 12px;
}
.now p {
  font-size: 12px;
  line-height: 1.4;
}
.note,
.held {
  margin-top: 4px;
  font-size: 12px;
}
.held {
  font-weight: 600;
}
.choices {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 5px;
  margin-bottom: 6px;
}
.choices button {
  flex: 1;
  height: 28px;
}
.field {
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin-top: 6px;
}
.field select {
  width: 130px;
  height: 26px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
.points {
  display: flex;
  align-items: center;
  gap: 6px;
}
.points button {
  margin-left: auto;
  font-size: 12px;
  text-transform: none;
  letter-spacing: 0;
}
dl {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 8px;
  margin: 0;
  font-size: 13px;
}
dd {
  margin: 0;
  font-weight: 500;
}
.empty {
  padding: 8px 0;
}
</style>
