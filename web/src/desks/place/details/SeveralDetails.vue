<script setup lang="ts">
/** Several chosen sources: changed together by the same amount, seated, mirrored, grouped, heard alone. */
import { useSelection } from "@/session/selection";
import { Button } from "ant-design-vue";
import { t } from "@/words";
import NameForm from "@/ui/NameForm.vue";
import { computed, ref } from "vue";
import { useEdits } from "@/session/edits";
import { usePlacing } from "@/session/placing";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";
import SeatingDialog from "@/desks/place/seating/SeatingDialog.vue";

const session = useSession();
const player = usePlayer();
const selection = useSelection();
const edits = useEdits();
const placing = usePlacing();
const seating = ref(false);

const sources = computed(() => session.sources.filter((one) => selection.all.includes(one.id)));
const soloed = computed(() => sources.value.every((one) => player.solo.includes(one.id)));

const makeGroup = (name: string): void => placing.group(sources.value, name || t("severalDetails.aGroup"));
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
    <Button
      v-for="by in [-3, -0.5, 0.5, 3]"
      :key="by"
      size="small"
      class="number"
      :disabled="!session.mayEdit"
      @click="edits.shift(sources, 'level', by)"
    >
      {{ by > 0 ? `+${by}` : `−${-by}` }}
    </Button>
  </div>
  <div class="row">
    <span>{{ $t("severalDetails.place") }}</span>
    <Button
      size="small"
      class="side-left"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, -0.1)"
    >
      L10
    </Button>
    <Button
      size="small"
      class="side-left"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, -0.01)"
    >
      L1
    </Button>
    <Button
      size="small"
      class="side-right"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, 0.01)"
    >
      R1
    </Button>
    <Button
      size="small"
      class="side-right"
      :disabled="!session.mayEdit"
      @click="edits.shiftPlaces(sources, 0.1)"
    >
      R10
    </Button>
  </div>
  <p class="quiet">{{ $t("severalDetails.automationIsShiftedAsA") }}</p>
  <h3 class="heading">{{ $t("severalDetails.seated") }}</h3>
  <div class="buttons">
    <Button size="small" :disabled="!session.mayEdit" @click="seating = true">
      {{ $t("severalDetails.seat") }}
    </Button>
    <Button
      size="small"
      :disabled="!session.mayEdit"
      :title="$t('severalDetails.swapLeftAndRightThe')"
      @click="edits.flip(sources)"
    >
      {{ $t("severalDetails.flipLeftAndRight") }}
    </Button>
  </div>
  <h3 class="heading">{{ $t("severalDetails.group") }}</h3>
  <NameForm
    :placeholder="$t('severalDetails.nameOfTheGroup')"
    :label="$t('severalDetails.nameOfTheGroup2')"
    :button="$t('severalDetails.group2')"
    :disabled="!session.mayEdit"
    optional
    @keep="makeGroup"
  />
  <h3 class="heading">{{ $t("severalDetails.onlyYou") }}</h3>
  <div class="buttons">
    <Button size="small" :aria-pressed="soloed" @click="player.soloThese(selection.all)">
      {{ $t("severalDetails.soloThese") }}
    </Button>
    <Button size="small" :aria-pressed="selection.alone" @click="selection.alone = !selection.alone">
      {{ $t("severalDetails.showOnlyThese") }}
    </Button>
  </div>
  <Button size="small" class="remove" :disabled="!session.mayEdit" @click="placing.remove(sources)">
    {{ $t("severalDetails.removeTheseSourceCount", { sourceCount: sources.length }) }}
  </Button>
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
.buttons {
  display: flex;
  gap: 5px;
}
.buttons button {
  flex: 1;
}
p {
  font-size: 12px;
}
.remove {
  margin-top: 18px;
}
</style>
