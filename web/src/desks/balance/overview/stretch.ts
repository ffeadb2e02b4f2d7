/** The stretch of time that is looked into on the Balance desk: a leaning one, or what one goes round, or everything. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { defineStore } from "pinia";
import { computed, shallowRef, watch } from "vue";
import { useLean } from "@/audio/lean";
import { useSession } from "@/session/session";

export interface Stretch {
  start: number;
  end: number;
  /** Its mean lean, where it is a leaning one. */
  mean?: number;
}

export const useStretch = defineStore("stretch", () => {
  const session = useSession();
  const lean = useLean();
  const leaning = computed(() => lean.lean?.stretches ?? []);
  const wanted = shallowRef<{ start: number; end: number } | null>(null);

  /** Among the leaning ones the one that is chosen: an edit may move its edges. */
  const number = computed(() => {
    const want = wanted.value;
    if (!want) return -1;
    const shared = leaning.value.map((one) => Math.min(one.end, want.end) - Math.max(one.start, want.start));
    const best = shared.indexOf(Math.max(...shared));
    return shared.length && must(shared[best]) > 0 ? best : -1;
  });
  const stretch = computed<Stretch>(() => {
    const found = leaning.value[number.value];
    if (found) return { start: found.start, end: found.end, mean: found.mean_db };
    const { start, end } = lean.stretch;
    return { start, end: end || session.length };
  });
  const title = computed(() => {
    if (number.value >= 0)
      return t("stretch.leanOverBars", {
        number: number.value + 1,
        bars: session.grid.barsText(stretch.value.start, stretch.value.end),
      });
    const round = lean.stretch.end > 0;
    return round ? t("stretch.titleLooping", { title: lean.stretch.title }) : t("stretch.theWholePiece");
  });

  function choose(index: number): void {
    const found = leaning.value[index];
    wanted.value = found ? { start: found.start, end: found.end } : null;
  }

  // The first lean that is known shows its worst stretch.
  watch(
    [() => session.id, () => lean.lean !== null],
    ([id, known], before) => {
      if (!before || id !== before[0]) wanted.value = null;
      if (!known || wanted.value || !leaning.value.length) return;
      const worst = must([...leaning.value].sort((a, b) => Math.abs(b.worst_db) - Math.abs(a.worst_db))[0]);
      wanted.value = { start: worst.start, end: worst.end };
    },
    { immediate: true },
  );

  return { leaning, number, stretch, title, choose };
});
