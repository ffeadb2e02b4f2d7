/** The causes of the stretch that is looked into, for all who need them: the list, the counterweight, the keys. */
import { must } from "@/domain/must";
import { defineStore } from "pinia";
import { computed, shallowRef } from "vue";
import type { Schemas } from "@/api/http";
import { usePlayer } from "./player";

/** A source that adds less (dB) is not worth moving. */
const WORTH_DB = 0.15;
const GIVERS_AT_FIRST = 4;

export const useCauses = defineStore("causes", () => {
  const player = usePlayer();
  const causes = shallowRef<Schemas["CauseOut"][]>([]);
  const sources = computed(() => causes.value.filter((one) => one.kind === "source"));

  /** Those that pull to the side that the stretch leans to, most first: they may give way. */
  const pulling = computed(() => {
    const side = Math.sign(sources.value[0]?.adds ?? 0);
    return sources.value
      .filter((one) => one.adds * side > WORTH_DB)
      .slice(0, GIVERS_AT_FIRST)
      .map((one) => one.id);
  });

  /** Hear the first cause alone, then the next; after the last everything again. */
  function hearNext(): void {
    const ids = sources.value.map((one) => one.id);
    const here = player.solo.length === 1 ? ids.indexOf(must(player.solo[0])) : -1;
    const next = ids[here + 1];
    player.solo = next ? [next] : [];
  }

  return { causes, sources, pulling, hearNext };
});
