/** What is chosen: the source that is worked on, others besides it, and what the pictures show of them. Personal. */
import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { useSession } from "./session";

export const useSelection = defineStore("selection", () => {
  const session = useSession();
  /** The source that is worked on. */
  const chosen = ref<string | null>(null);
  const others = ref<string[]>([]);
  const all = computed(() => [...(chosen.value ? [chosen.value] : []), ...others.value]);
  /** Show only the sources that are chosen. */
  const alone = ref(false);
  const shownSources = computed(() =>
    alone.value && all.value.length
      ? session.sources.filter((source) => all.value.includes(source.id))
      : session.sources,
  );
  /** The return whose room the Place desk shows ("" for the sources themselves), and what the details are of. */
  const layer = ref("");
  const focus = ref<"source" | "return">("source");

  /** Choose a source: it alone, or among those that are chosen already. */
  function choose(source: string | null, among = false): void {
    focus.value = "source";
    if (!among || source === null) {
      others.value = [];
      chosen.value = source;
    } else if (source === chosen.value) {
      chosen.value = others.value[0] ?? source;
      others.value = others.value.slice(1);
    } else if (others.value.includes(source)) {
      others.value = others.value.filter((one) => one !== source);
    } else {
      others.value = all.value;
      chosen.value = source;
    }
  }

  /** Look into a return; without one, at the sources themselves. */
  function chooseReturn(id: string): void {
    layer.value = id;
    focus.value = id ? "return" : "source";
  }

  function chooseThese(sources: string[]): void {
    choose(sources[0] ?? null);
    others.value = sources.slice(1);
  }

  return { chosen, all, alone, shownSources, layer, focus, choose, chooseThese, chooseReturn };
});
