/** Which stretch of time the chart shows, and what is chosen on it: personal, like a scroll position. */
import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { clamp } from "@/geometry/pan";
import { usePlayer } from "@/sound/player";
import { useSession, type Parameter } from "@/session/session";

const CLOSEST = 400;
const FARTHEST = 3;

export const useChartView = defineStore("chart-view", () => {
  const session = useSession();
  const player = usePlayer();
  /** The time (s) at the chart's upper edge, and pixels to a second. */
  const top = ref(0);
  const scale = ref(18.75);
  const height = ref(600);
  const parameter = ref<Parameter>("pan");
  /** The chosen point's index in the chosen source's lane. */
  const point = ref<number | null>(null);
  /** Parts of a beat that points snap to; 0 for none. */
  const gridParts = ref(4);

  const limit = (at: number): number =>
    clamp(at, -16 / scale.value, Math.max(session.length - (height.value * 0.6) / scale.value, 0));

  function scrollBy(pixels: number): void {
    top.value = limit(top.value + pixels / scale.value);
  }

  /** Zoom so that the time under a height stays under it. */
  function zoom(factor: number, y: number): void {
    const at = top.value + y / scale.value;
    scale.value = clamp(scale.value * factor, FARTHEST, CLOSEST);
    top.value = limit(at - y / scale.value);
  }

  /** Bring a time into view if it is not, a quarter down the page. */
  function show(at: number): void {
    const y = (at - top.value) * scale.value;
    if (y < 0 || y > height.value - 24) top.value = limit(at - (height.value * 0.25) / scale.value);
  }

  /** The return whose room the Place desk shows ("" for the sources themselves), and what the details are of. */
  const layer = ref("");
  const focus = ref<"source" | "return">("source");
  /** Sources chosen besides the one that is worked on. */
  const others = ref<string[]>([]);
  const selection = computed(() => [...(player.chosen ? [player.chosen] : []), ...others.value]);
  /** Show only the sources that are chosen. */
  const alone = ref(false);
  const shownSources = computed(() =>
    alone.value && selection.value.length
      ? session.sources.filter((source) => selection.value.includes(source.id))
      : session.sources,
  );

  /** Choose a source: it alone, or among those that are chosen already. */
  function choose(source: string | null, among = false): void {
    if (player.chosen !== source) point.value = null;
    focus.value = "source";
    if (!among || source === null) {
      others.value = [];
      player.chosen = source;
    } else if (source === player.chosen) {
      player.chosen = others.value[0] ?? source;
      others.value = others.value.slice(1);
    } else if (others.value.includes(source)) {
      others.value = others.value.filter((one) => one !== source);
    } else {
      others.value = selection.value;
      player.chosen = source;
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

  return {
    top, scale, height, parameter, point, gridParts, selection, alone, shownSources, layer, focus,
    scrollBy, zoom, show, choose, chooseThese, chooseReturn,
  }; // prettier-ignore
});
