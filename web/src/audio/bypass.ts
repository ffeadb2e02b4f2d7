/** Hearing the chosen source without a treatment: personal, at the same loudness, while a key is held or latched. */
import { useSelection } from "@/session/selection";
import { defineStore } from "pinia";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { usePlayer } from "./player";

export const useBypass = defineStore("without", () => {
  const player = usePlayer();
  const selection = useSelection();
  const treatment = ref("all");
  const latched = ref(false);
  const on = computed(() => player.bypass !== null);

  function start(stay: boolean): void {
    if (!selection.chosen) return;
    latched.value = stay;
    player.bypass = { source: selection.chosen, treatment: treatment.value, at: player.playhead };
  }

  function stop(): void {
    latched.value = false;
    if (player.bypass) player.bypass = null;
  }

  watch(treatment, () => player.bypass && start(latched.value));
  // What was chosen for one source says nothing of the next.
  watch(
    () => selection.chosen,
    () => (treatment.value = "all"),
  );

  return { treatment, latched, on, start, stop };
});

/** Offer a treatment to be heard away as long as a part of the page is there; then again what was chosen before. */
export function useTreatment(name: string): void {
  const without = useBypass();
  const selection = useSelection();
  const before = without.treatment;
  without.treatment = name;
  watch(
    () => selection.chosen,
    () => (without.treatment = name),
    { flush: "post" },
  );
  onBeforeUnmount(() => (without.treatment = before));
}
