<script setup lang="ts">
/** One's own preferences: the paper, colours, how places and times are told; and the first look round once more. */
import { Modal } from "ant-design-vue";
import { useLiking, type Liked } from "@/session/liking";

const open = defineModel<boolean>("open", { required: true });
const liking = useLiking();

interface Choice<Name extends keyof Liked> {
  name: Name;
  title: string;
  options: [Liked[Name], string, string][];
}
const CHOICES = [
  {
    name: "paper",
    title: "Paper",
    options: [
      ["day", "day", "light paper, dark ink"],
      ["night", "night", "dark paper, for a dark room"],
      ["system", "as the machine", "follows the machine's own setting"],
    ],
  } satisfies Choice<"paper">,
  {
    name: "colours",
    title: "Colours",
    options: [
      ["usual", "usual", "left is rust, right is teal, ten inks"],
      ["apart", "further apart", "left is orange, right is blue, and inks differ by their dashes as well"],
    ],
  } satisfies Choice<"colours">,
  {
    name: "places",
    title: "Places",
    options: [
      ["letters", "L31 C R31", "as engineers say them"],
      ["signed", "−31 0 +31", "left is minus"],
    ],
  } satisfies Choice<"places">,
  {
    name: "times",
    title: "Times",
    options: [
      ["bars", "17.3", "bars and beats"],
      ["clock", "0:43.6", "minutes and seconds"],
    ],
  } satisfies Choice<"times">,
];
</script>

<template>
  <Modal v-model:open="open" title="Preferences" :footer="null" :width="480">
    <p class="quiet">Yours, in every browser in which you sign in. They change nothing in a mix.</p>
    <fieldset v-for="choice in CHOICES" :key="choice.name">
      <legend class="heading">{{ choice.title }}</legend>
      <label v-for="[value, title, what] in choice.options" :key="value">
        <input
          type="radio"
          :name="choice.name"
          :value="value"
          :checked="liking.liked[choice.name] === value"
          @change="liking.set({ [choice.name]: value })"
        />
        <b>{{ title }}</b> <span class="quiet">{{ what }}</span>
      </label>
    </fieldset>
    <p v-if="liking.trouble" class="trouble" role="alert">{{ liking.trouble }}</p>
    <button
      v-if="liking.liked.tour === 'done'"
      class="link"
      @click="
        liking.set({ tour: 'new' });
        open = false;
      "
    >
      Show me round again
    </button>
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
.link {
  margin-top: 16px;
}
</style>
