/** Which points of the line in view are picked together: they are dragged, nudged, reshaped and deleted as one. */
import type { Point } from "@/domain/model";
import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";
import { useSession } from "./session";
import { useChartView } from "./view";

const nameOf = (point: Point): string => `${point.t} ${point.value}`;

export const usePickedPoints = defineStore("picked-points", () => {
  const session = useSession();
  const view = useChartView();
  /** By time and value: whatever a colleague adds or takes away, the same ones stay picked. */
  const names = ref(new Set<string>());
  const points = computed(() => (view.lane ? session.points(view.lane.owner, view.lane.parameter) : []));
  /** Where they are in the line, ascending. */
  const indexes = computed(() =>
    points.value.flatMap((point, index) => (names.value.has(nameOf(point)) ? [index] : [])),
  );

  /** Pick these instead of what was picked, or besides. */
  function pick(fresh: Point[], besides = false): void {
    names.value = new Set([...(besides ? names.value : []), ...fresh.map(nameOf)]);
  }

  function toggle(point: Point): void {
    const now = new Set(names.value);
    if (!now.delete(nameOf(point))) now.add(nameOf(point));
    names.value = now;
  }

  const clear = (): void => void (names.value = new Set());

  watch(() => view.lane && session.laneKey(view.lane.owner, view.lane.parameter), clear, { flush: "sync" });

  return { indexes, pick, toggle, clear };
});
