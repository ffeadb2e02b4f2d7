/**
 * The order in which marks are drawn: what is chosen lies on top. While a hand is down the order stays as it is, for a
 * mark that is put elsewhere in the page lets go of the hand.
 */
import { useSelection } from "./selection";
import { useEventListener } from "@vueuse/core";
import { computed, ref } from "vue";

export function useDrawingOrder<T>(items: () => T[], idOf: (item: T) => string) {
  const selection = useSelection();
  const held = ref<Map<string, number> | null>(null);

  const rank = (id: string): number => {
    if (held.value) return held.value.get(id) ?? -1;
    return id === selection.chosen ? 2 : selection.all.includes(id) ? 1 : 0;
  };
  const ordered = computed(() => [...items()].sort((a, b) => rank(idOf(a)) - rank(idOf(b))));

  function hold(): void {
    held.value = new Map(ordered.value.map((item, place) => [idOf(item), place]));
  }
  const letGo = (): void => void (held.value = null);
  useEventListener("pointerup", letGo);
  useEventListener("pointercancel", letGo);

  return { ordered, hold };
}
