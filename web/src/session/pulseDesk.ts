/** Which of the Pulse desk's two uses is looked at: for oneself. */
import { defineStore } from "pinia";
import { ref } from "vue";

export const usePulseDesk = defineStore("pulse-desk", () => {
  const dealing = ref(false);
  return { dealing };
});
