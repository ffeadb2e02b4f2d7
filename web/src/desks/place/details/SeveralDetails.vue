<script setup lang="ts">
/** Several chosen sources: changed together by the same amount, seated, mirrored, grouped, heard alone. */
import { computed, ref } from "vue";
import { useChartView } from "@/session/view";
import { useEdits } from "@/session/edits";
import { usePlacing } from "@/session/placing";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import SeatingDialog from "@/desks/place/seating/SeatingDialog.vue";

const session = useSession();
const player = usePlayer();
const view = useChartView();
const edits = useEdits();
const placing = usePlacing();
const name = ref("");
const seating = ref(false);

const sources = computed(() => session.sources.filter((one) => view.selection.includes(one.id)));
const soloed = computed(() => sources.value.every((one) => player.solo.includes(one.id)));

function makeGroup(): void {
  placing.group(sources.value, name.value.trim() || "Group");
  name.value = "";
}
</script>

<template>
  <h2>{{ $t("severalDetails.sourceCountSources", { sourceCount: sources.length }) }}</h2>
  <ul>
    <li v-for="source in sources" :key="source.id">
      <span :style="{ background: inkOf(source.colour) }" />{{ source.name }}
    </li>
  </ul>
  <h3 class="heading">{{ $t("severalDetails.togetherByTheSameAmount") }}</h3>
  <div class="row">
    <span>{{ $t("severalDetails.level") }}</span>
    <button
      v-for="by in [-3, -0.5, 0.5, 3]"
      :key="by"
      class="small-button number"
      :disabled="!session.mayEdit"
      @click="edits.shift(sources, 'level', by)"
    >
      {{ by > 0 ? `+${by}` : `−${-by}` }}
    </button>
  </div>
  <div class="row">
    <span>{{ $t("severalDetails.place") }}</span>
    <button
      class="small-button side-left"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, -0.1)"
    >
      L10
    </button>
    <button
      class="small-button side-left"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, -0.01)"
    >
      L1
    </button>
    <button
      class="small-button side-right"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, 0.01)"
    >
      R1
    </button>
    <button
      class="small-button side-right"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, 0.1)"
    >
      R10
    </button>
  </div>
  <p class="quiet">{{ $t("severalDetails.automationIsShiftedAsA") }}</p>
  <h3 class="heading">{{ $t("severalDetails.seated") }}</h3>
  <div class="buttons">
    <button class="small-button" :disabled="!session.mayEdit" @click="seating = true">
      {{ $t("severalDetails.seat") }}
    </button>
    <button
      class="small-button"
      :disabled="!session.mayEdit"
      :title="$t('severalDetails.swapLeftAndRightThe')"
      @click="edits.flip(sources)"
    >
      {{ $t("severalDetails.flipLeftAndRight") }}
    </button>
  </div>
  <h3 class="heading">{{ $t("severalDetails.group") }}</h3>
  <form @submit.prevent="makeGroup">
    <input
      v-model="name"
      :placeholder="$t('severalDetails.nameOfTheGroup')"
      :aria-label="$t('severalDetails.nameOfTheGroup2')"
      maxlength="120"
      @keydown.stop
    />
    <button class="small-button" :disabled="!session.mayEdit">{{ $t("severalDetails.group2") }}</button>
  </form>
  <h3 class="heading">{{ $t("severalDetails.onlyYou") }}</h3>
  <div class="buttons">
    <button class="small-button" :aria-pressed="soloed" @click="player.soloThese(view.selection)">
      {{ $t("severalDetails.soloThese") }}
    </button>
    <button class="small-button" :aria-pressed="view.alone" @click="view.alone = !view.alone">
      {{ $t("severalDetails.showOnlyThese") }}
    </button>
  </div>
  <button class="small-button remove" :disabled="!session.mayEdit" @click="placing.remove(sources)">
    {{ $t("severalDetails.removeTheseSourceCount", { sourceCount: sources.length }) }}
  </button>
  <SeatingDialog v-model:open="seating" :sources="sources" />
</template>

<style scoped>
h2 {
  font-size: 17px;
}
h3 {
  margin: 14px 0 5px;
}
ul {
  display: flex;
  flex-wrap: wrap;
  gap: 3px 12px;
  margin: 8px 0 0;
  padding: 0;
  list-style: none;
  font-size: 13px;
}
li span {
  display: inline-block;
  width: 4px;
  height: 11px;
  margin-right: 5px;
}
.row {
  display: grid;
  grid-template-columns: 1fr repeat(4, 50px);
  gap: 5px;
  align-items: center;
  margin-bottom: 5px;
  font-size: 13px;
}
.buttons,
form {
  display: flex;
  gap: 5px;
}
.buttons button {
  flex: 1;
}
input {
  flex: 1;
  min-width: 0;
  height: 25px;
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--raised);
}
p {
  font-size: 12px;
}
.remove {
  margin-top: 18px;
}
</style>
