/** The delivery target that this person measures against. */
import { useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed } from "vue";
import { useLibrary } from "@/session/library";

export const useTarget = defineStore("target", () => {
  const library = useLibrary();
  const name = useLocalStorage("target", "wide-18");
  const target = computed(() => library.library?.targets.find((one) => one.name === name.value));
  return { name, target };
});
