<script setup lang="ts">
/** One's own preferences: the paper, colours, how places and times are told; and the first look round once more. */
import { t } from "@/words";
import { Button, Modal } from "ant-design-vue";
import Fold from "@/ui/Fold.vue";
import ShortcutList from "./ShortcutList.vue";
import { usePreferences, type Liked } from "@/account/preferences";

const open = defineModel<boolean>("open", { required: true });
const preferences = usePreferences();

interface Choice<Name extends Exclude<keyof Liked, "shortcuts">> {
  name: Name;
  title: string;
  options: [Liked[Name], string, string][];
}
const CHOICES = [
  {
    name: "paper",
    title: t("preferencesDialog.appearance"),
    options: [
      ["day", t("preferencesDialog.day"), t("preferencesDialog.light")],
      ["night", t("preferencesDialog.night"), t("preferencesDialog.darkForADarkRoom")],
      ["system", t("preferencesDialog.system"), t("preferencesDialog.followsTheSystemSetting")],
    ],
  } satisfies Choice<"paper">,
  {
    name: "colours",
    title: t("preferencesDialog.colours"),
    options: [
      ["usual", t("preferencesDialog.usual"), t("preferencesDialog.leftIsRustRightIs")],
      ["apart", t("preferencesDialog.highSeparation"), t("preferencesDialog.leftIsOrangeRightIs")],
    ],
  } satisfies Choice<"colours">,
  {
    name: "places",
    title: t("preferencesDialog.positions"),
    options: [
      ["letters", "L31 C R31", t("preferencesDialog.lR")],
      ["signed", "−31 0 +31", t("preferencesDialog.signedLeftIsMinus")],
    ],
  } satisfies Choice<"places">,
  {
    name: "times",
    title: t("preferencesDialog.times"),
    options: [
      ["bars", "17.3", t("preferencesDialog.barsAndBeats")],
      ["clock", "0:43.6", t("preferencesDialog.minutesAndSeconds")],
    ],
  } satisfies Choice<"times">,
  {
    name: "hands",
    title: t("preferencesDialog.controlsInTheHand"),
    options: [
      ["own", t("preferencesDialog.own"), t("preferencesDialog.colleaguesChangesAreHeard")],
      ["all", t("preferencesDialog.everybodys"), t("preferencesDialog.whatColleaguesMoveIs")],
    ],
  } satisfies Choice<"hands">,
  {
    name: "automated",
    title: t("preferencesDialog.setAutomated"),
    options: [
      ["ask", t("preferencesDialog.ask"), t("preferencesDialog.movesTheLineAndAsks")],
      ["line", t("preferencesDialog.wholeLine"), t("preferencesDialog.theWholeLineMoves")],
      ["point", t("preferencesDialog.point"), t("preferencesDialog.aPointAtThePlayhead")],
    ],
  } satisfies Choice<"automated">,
  {
    name: "keys",
    title: t("preferencesDialog.shortcuts"),
    options: [
      ["all", t("preferencesDialog.allKeys"), t("preferencesDialog.lettersNumbersAndSignsToo")],
      ["named", t("preferencesDialog.namedKeys"), t("preferencesDialog.onlySpaceHomeEndArrows")],
    ],
  } satisfies Choice<"keys">,
];
</script>

<template>
  <Modal v-model:open="open" :title="$t('preferencesDialog.preferences')" :footer="null" :width="480">
    <p class="quiet">{{ $t("preferencesDialog.yoursInEveryBrowserYou") }}</p>
    <fieldset v-for="choice in CHOICES" :key="choice.name">
      <legend class="heading">{{ choice.title }}</legend>
      <label v-for="[value, title, what] in choice.options" :key="value">
        <input
          type="radio"
          :name="choice.name"
          :value="value"
          :checked="preferences.liked[choice.name] === value"
          @change="preferences.set({ [choice.name]: value })"
        />
        <b>{{ title }}</b> <span class="quiet">{{ what }}</span>
      </label>
    </fieldset>
    <Fold v-if="preferences.liked.keys === 'all'" :title="$t('preferencesDialog.changeShortcuts')">
      <ShortcutList />
    </Fold>
    <p v-if="preferences.trouble" class="trouble" role="alert">{{ preferences.trouble }}</p>
    <Button
      v-if="preferences.liked.tour === 'done'"
      type="link"
      size="small"
      @click="
        preferences.set({ tour: 'new' });
        open = false;
      "
    >
      {{ $t("preferencesDialog.showTheTourAgain") }}
    </Button>
  </Modal>
</template>

<style scoped>
fieldset {
  display: grid;
  gap: 4px;
  margin: 14px 0 0;
  padding: 0;
  border: 0;
}
legend {
  margin-bottom: 2px;
  padding: 0;
}
label {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
b {
  min-width: 104px;
  font-weight: 600;
}
.trouble {
  margin-top: 10px;
}
.ant-btn-link {
  margin-top: 16px;
}
</style>
