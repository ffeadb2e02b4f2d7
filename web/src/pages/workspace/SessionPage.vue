<script setup lang="ts">
/** A session: the dark bar, the roster, the chosen desk, and the details. */
import { useSelection } from "@/session/selection";
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import type { Source } from "@/domain/model";
import { t } from "@/words";
import { useElementSize, useEventListener } from "@vueuse/core";
import { persist } from "@/api/persist";
import {
  computed,
  defineAsyncComponent,
  nextTick,
  onBeforeUnmount,
  provide,
  ref,
  watch,
  type Ref,
} from "vue";
import { useComments } from "@/features/comments/comments";
import { useControlRequests } from "@/gestures/controlRequests";
import { useConflicts } from "@/features/history/conflicts";
import { useAlong } from "@/audio/along";
import { useArrivals } from "@/features/import/uploads";
import { useChartView } from "@/session/view";
import PlaceDesk from "@/desks/place/PlaceDesk.vue";
import Details from "./Details.vue";
import Roster from "@/shell/roster/Roster.vue";
import { usePulseDesk } from "@/session/pulseDesk";
import { useAlone } from "@/audio/alone";
import { useDeals } from "@/session/deals";
import { useLibrary } from "@/session/library";
import { useRecorder } from "@/session/recorder";
import { useTakes } from "@/session/takes";
import { useSession } from "@/session/session";
import { useMonitor } from "@/audio/monitor";
import { useOutputs } from "@/audio/outputs";
import { usePlayer } from "@/audio/player";
import { useKeys } from "@/shell/shortcuts";
import { HOLDING } from "@/ui/holding";
import Guarded from "@/ui/Guarded.vue";
import EarMark from "@/ui/EarMark.vue";
import { lastPlace, useWhere } from "./where";
import PanelEdge from "@/shell/PanelEdge.vue";
import { usePanels } from "@/shell/panels";
import TimeRule from "@/shell/transport/TimeRule.vue";
import TopBar from "@/shell/top-bar/TopBar.vue";
import Tour from "@/features/tour/Tour.vue";

// Loaded when first shown.
const BalanceDesk = defineAsyncComponent(() => import("@/desks/balance/BalanceDesk.vue"));
const ImportDialog = defineAsyncComponent(() => import("@/features/import/ImportDialog.vue"));
const CommentsSheet = defineAsyncComponent(() => import("@/features/comments/CommentsSheet.vue"));
const HandOverDesk = defineAsyncComponent(() => import("@/desks/hand-over/HandOverDesk.vue"));
const HelpSheet = defineAsyncComponent(() => import("@/shell/top-bar/HelpSheet.vue"));
const HistorySheet = defineAsyncComponent(() => import("@/features/history/HistorySheet.vue"));
const MoveDesk = defineAsyncComponent(() => import("@/desks/move/MoveDesk.vue"));
const PeopleDialog = defineAsyncComponent(() => import("@/features/people/PeopleDialog.vue"));
const PreferencesDialog = defineAsyncComponent(() => import("@/features/account/PreferencesDialog.vue"));
const PulseDesk = defineAsyncComponent(() => import("@/desks/pulse/PulseDesk.vue"));
const SoundDialog = defineAsyncComponent(() => import("@/features/sound/SoundDialog.vue"));
const SessionSettings = defineAsyncComponent(() => import("@/features/settings/SessionSettings.vue"));

const props = defineProps<{ id: string; desk?: string }>();
const session = useSession();
const player = usePlayer();
const selection = useSelection();
const outputs = useOutputs();
/** What stands between the sound and who listens. */
const soundTrouble = computed(() => player.trouble || outputs.trouble || player.slowLine);
const view = useChartView();
provide(HOLDING, { hold: session.whileHeld, drop: session.dropHeld });

const problem = ref("");
const helping = ref(false);
const preferring = ref(false);
const bringing = ref(false);
const setting = ref(false);
const meeting = ref(false);
const sounding = ref(false);
/** Whether something has been open yet: it is loaded then, and stays. */
function everOpen(open: Ref<boolean>): Ref<boolean> {
  const ever = ref(open.value);
  watch(open, (now) => (ever.value ||= now), { flush: "sync" });
  return ever;
}
const loaded = {
  help: everOpen(helping),
  preferences: everOpen(preferring),
  bringing: everOpen(bringing),
  settings: everOpen(setting),
  people: everOpen(meeting),
  sound: everOpen(sounding),
};
/** Whether the history stands in place of the details. */
const reading = ref(false);
const part = ref("general");
const centre = ref<HTMLElement>();
const { width, height } = useElementSize(centre);
const library = useLibrary();
const arrivals = useArrivals();
const monitor = useMonitor();
const recorder = useRecorder();
const takes = useTakes();
const alone = useAlone();
const deals = useDeals();
const use = usePulseDesk();
const along = useAlong();
const comments = useComments();
useConflicts();
useControlRequests();
const sheet = computed(() => (comments.shown ? "comments" : reading.value ? "history" : ""));
function showSheet(which: "history" | "comments"): void {
  const was = sheet.value;
  comments.shown = which === "comments" && was !== which;
  reading.value = which === "history" && was !== which;
}
// Where the page is one column it stands at its foot: who has asked for it is taken there.
watch(sheet, async (now) => {
  await nextTick();
  if (now) document.querySelector("main > .sheet")?.scrollIntoView({ block: "nearest" });
});
const aloneBars = computed(() =>
  alone.stretch ? `${session.grid.text(alone.stretch.start)}–${session.grid.text(alone.stretch.end)}` : "",
);

/** The desk of the address, else the one where one was last in this session; a new one begins where sources are placed. */
const desk = computed(() => props.desk || (lastPlace(props.id).desk ?? "place"));
const where = useWhere(() => desk.value);

/** What is worked on: a part with a fault is tried again when that is something else. */
const chosenLane = computed(() => `${selection.chosen} ${view.of} ${view.parameter}`);

const panels = usePanels();
const columns = computed(() => ({
  "--list": `${panels.widthOf("list")}px`,
  "--details": `${panels.widthOf("details")}px`,
}));
/** The desk that is worked at, and on a wide page the one that is to be seen beside it. */
const shownDesks = computed(() =>
  panels.isWide && panels.beside && panels.beside !== desk.value && desk.value !== "hand-over"
    ? [desk.value, panels.beside]
    : [desk.value],
);
const deskWidth = computed(() => Math.floor(width.value / shownDesks.value.length));
const deskSize = computed(() => ({ width: deskWidth.value, height: height.value }));

function openSettings(which: string): void {
  part.value = which;
  setting.value = true;
}

/** Files may be dropped anywhere on the session. */
const over = ref(false);
const hasFiles = (event: DragEvent): boolean =>
  !!event.dataTransfer?.types.includes("Files") && session.mayEdit;
function onDragOver(event: DragEvent): void {
  if (!hasFiles(event) || bringing.value) return;
  event.preventDefault();
  over.value = true;
}
function onDrop(event: DragEvent): void {
  over.value = false;
  if (!hasFiles(event) || bringing.value) return;
  event.preventDefault();
  const files = must(event.dataTransfer).files;
  // On the Pulse desk a MIDI file is a part to be dealt.
  if (desk.value === "pulse" && files.length === 1 && /\.midi?$/i.test(must(files[0]).name) && deals.source) {
    use.dealing = true;
    void deals.takeNotes(must(files[0]));
    return;
  }
  arrivals.take(files);
  bringing.value = true;
}
useKeys(
  () => (helping.value = true),
  () => desk.value,
);
useEventListener("beforeunload", (event: BeforeUnloadEvent) => {
  if (session.wouldLose() || arrivals.open || recorder.controls.size || takes.unsent.length)
    event.preventDefault();
});

/** A session that has just been opened: one is where one was, else what moves farthest is chosen. */
function begin(id: string): void {
  if (id !== props.id) return;
  document.title = t("sessionPage.nameWanderingNeedle", { name: session.settings?.name });
  view.top = -16 / view.scale;
  if (selection.chosen || where.goBack(id)) return;
  const travel = (source: Source): number => {
    const places = session.points(source.id, "pan").map((point) => point.value);
    return places.length ? Math.max(...places) - Math.min(...places) : 0;
  };
  const [farthest] = [...session.sources].sort((a, b) => travel(b) - travel(a));
  selection.choose(farthest?.id ?? null);
}

let left = false;
watch(
  () => props.id,
  async (id) => {
    const isOpen = (): boolean => id === props.id && !left;
    problem.value = "";
    alone.forget();
    along.leave();
    player.leave();
    monitor.leave();
    arrivals.leave();
    selection.chooseReturn("");
    void library.look().catch(() => undefined);
    try {
      // What there is to choose from may come later than the session, which stays open however long that takes.
      await Promise.all([session.open(id).then(() => begin(id)), persist(library.arrive, isOpen)]);
    } catch (error) {
      if (isOpen()) problem.value = (error as Error).message;
    }
  },
  { immediate: true },
);

onBeforeUnmount(() => {
  left = true;
  along.leave();
  player.leave();
  arrivals.leave();
  session.close();
});
</script>

<template>
  <div v-if="problem || session.lost" class="problem" role="alert">
    <h1>{{ problem || session.lost }}</h1>
    <RouterLink to="/">{{ $t("sessionPage.toYourSessions") }}</RouterLink>
  </div>
  <div
    v-else-if="session.settings"
    class="session"
    @dragover="onDragOver"
    @dragleave="over = false"
    @drop="onDrop"
  >
    <TopBar
      :desk="desk"
      :sheet="sheet"
      @help="helping = true"
      @settings="openSettings"
      @people="meeting = true"
      @sound="sounding = true"
      @sheet="showSheet"
    />
    <TimeRule />
    <p v-if="soundTrouble || session.severed" class="trouble" role="status">
      {{ session.connected ? soundTrouble : $t("sessionPage.offlineYouCanGoOn") }}
    </p>
    <p v-if="along.person" class="alone" role="status">
      <EarMark /> {{ $t("sessionPage.listeningAlongWithNameTheir", { name: along.person.name }) }}
      <Button size="small" @click="along.leave()">
        {{ $t("sessionPage.stopListeningAlongEsc") }}
      </Button>
    </p>
    <p v-if="alone.source" class="alone" role="status">
      <EarMark />
      {{ $t("sessionPage.onlyYouNameAloneBars", { name: alone.source.name, aloneBars: aloneBars }) }}
      <Button size="small" @click="alone.close()">{{ $t("sessionPage.showEverythingEsc") }}</Button>
    </p>
    <main :class="{ long: desk === 'hand-over' }" :style="columns">
      <Guarded :name="$t('sessionPage.sources')" :when="selection.chosen">
        <Roster @bring-in="bringing = true" />
      </Guarded>
      <div ref="centre" class="desk" :class="{ over }">
        <template v-if="width > 0">
          <Guarded
            v-for="(shown, i) in shownDesks"
            :key="i"
            :name="$t('sessionPage.theDesk')"
            :when="`${shown} ${chosenLane}`"
          >
            <section class="picture" :style="{ width: `${deskWidth}px` }">
              <PlaceDesk v-if="shown === 'place'" v-bind="deskSize" @bring-in="bringing = true" />
              <PulseDesk v-else-if="shown === 'pulse'" v-bind="deskSize" />
              <BalanceDesk
                v-else-if="shown === 'balance'"
                v-bind="deskSize"
                :follows="shownDesks[0] === 'move'"
              />
              <HandOverDesk v-else-if="shown === 'hand-over'" :width="deskWidth" />
              <MoveDesk v-else v-bind="deskSize" />
            </section>
          </Guarded>
        </template>
        <PanelEdge panel="list" :label="$t('sessionPage.widthOfTheList')" />
        <PanelEdge panel="details" :label="$t('sessionPage.widthOfTheDetails')" />
      </div>
      <Guarded :name="$t('sessionPage.thePanel')" :when="`${desk} ${sheet} ${chosenLane}`">
        <HistorySheet v-if="sheet === 'history'" @close="reading = false" />
        <CommentsSheet v-else-if="sheet === 'comments'" />
        <Details v-else :desk="desk" @bring-in="bringing = true" @history="showSheet('history')" />
      </Guarded>
    </main>
    <ImportDialog v-if="loaded.bringing.value" v-model:open="bringing" />
    <SessionSettings v-if="loaded.settings.value" v-model:open="setting" :part="part" />
    <HelpSheet v-if="loaded.help.value" v-model:open="helping" @preferences="preferring = true" />
    <PreferencesDialog v-if="loaded.preferences.value" v-model:open="preferring" />
    <SoundDialog v-if="loaded.sound.value" v-model:open="sounding" />
    <PeopleDialog v-if="loaded.people.value" v-model:open="meeting" />
    <Tour :desk="desk" />
  </div>
  <p v-else class="opening quiet" role="status">{{ $t("sessionPage.openingTheSession") }}</p>
</template>

<style scoped>
.session {
  display: flex;
  flex-direction: column;
  height: 100%;
}
main {
  flex: 1;
  display: grid;
  grid-template-columns: var(--list) minmax(0, 1fr) var(--details);
  grid-template-rows: minmax(0, 1fr);
  min-height: 0;
}
.desk {
  position: relative;
  display: flex;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
}
.picture {
  position: relative;
  flex: none;
  min-height: 0;
  overflow: hidden;
}
.picture + .picture {
  border-left: 1px solid var(--rule-strong);
}
.long .picture {
  overflow-y: auto;
}
.desk.over {
  outline: 3px dashed var(--lamp);
  outline-offset: -6px;
}
.trouble {
  padding: 5px 16px;
  background: var(--lamp-soft);
  border-bottom: 1px solid var(--lamp);
  color: inherit;
}
.alone {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 4px 16px;
  background: var(--bar);
  border-top: 1px solid var(--bar-hover);
  color: var(--bar-text);
}
.alone button {
  margin-left: auto;
  color: var(--ink);
}
.problem,
.opening {
  display: grid;
  gap: 12px;
  place-content: center;
  height: 100%;
  text-align: center;
}
.problem h1 {
  font-size: 20px;
}
@media (max-width: 1000px) {
  main {
    grid-template-columns: 230px minmax(0, 1fr);
    grid-template-rows: minmax(0, 1fr) auto;
  }
  .details {
    grid-column: 1 / -1;
    max-height: 40vh;
    border-top: 1px solid var(--rule-strong);
  }
}
@media (max-width: 760px) {
  .session {
    height: auto;
    min-height: 100%;
  }
  main {
    grid-template: "desk" 460px "roster" auto "details" auto / minmax(0, 1fr);
  }
  main.long {
    grid-template-rows: auto;
  }
  .desk {
    grid-area: desk;
  }
  .roster {
    grid-area: roster;
  }
  .details {
    grid-area: details;
    max-height: none;
  }
}
</style>
