/** Hearing the chosen source without a treatment: personal, at the same loudness, while a key is held or latched. */
import { defineStore } from "pinia";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { usePlayer } from "./player";

export const useBypass = defineStore("without", () => {
  const player = usePlayer();
  const treatment = ref("all");
  const latched = ref(false);
  const on = computed(() => player.bypass !== null);

  function start(stay: boolean): void {
    if (!player.chosen) return;
    latched.value = stay;
    player.bypass = { source: player.chosen, treatment: treatment.value, at: player.playhead };
  }

  function stop(): void {
    latched.value = false;
    if (player.bypass) player.bypass = null;
  }

  watch(treatment, () => player.bypass && start(latched.value));

  return { treatment, latched, on, start, stop };
});

/** Offer a treatment to be heard away as long as a part of the page is there; then again what was chosen before. */
export function useTreatment(name: string): void {
  const without = useBypass();
  const before = without.treatment;
  without.treatment = name;
  onBeforeUnmount(() => (without.treatment = before));
}
