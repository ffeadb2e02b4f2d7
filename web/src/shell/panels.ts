/** How wide the panels are, and which desk stands beside the one that is worked at: personal, kept in this browser. */
import { useLocalStorage, useWindowSize } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed } from "vue";

export type Panel = "list" | "details";

/** Between which a panel may be (px); and what is kept for the desk. */
export const NARROWEST: Record<Panel, number> = { list: 220, details: 280 };
const WIDEST = 640;
const DESK = 480;
/** So wide (px) a desk is that another may stand beside it. */
const WIDE = 1300;

export const BESIDE = ["place", "move", "pulse", "balance"] as const;

export const usePanels = defineStore("panels", () => {
  /** In px; 0 for what comes of the window. */
  const chosen = useLocalStorage<Record<Panel, number>>("needle-panels", { list: 0, details: 0 });
  const beside = useLocalStorage<string>("needle-beside", "");
  const { width: window } = useWindowSize();

  const between = (value: number, low: number, high: number): number => Math.min(Math.max(value, low), high);
  const usual = computed<Record<Panel, number>>(() => ({
    list: between(window.value * 0.14, 256, 340),
    details: between(window.value * 0.16, 304, 380),
  }));
  const widest = (panel: Panel): number => {
    const other: Panel = panel === "list" ? "details" : "list";
    const rest = window.value - DESK - (chosen.value[other] || usual.value[other]);
    return between(rest, NARROWEST[panel], WIDEST);
  };
  const widthOf = (panel: Panel): number =>
    Math.round(
      chosen.value[panel]
        ? between(chosen.value[panel], NARROWEST[panel], widest(panel))
        : usual.value[panel],
    );
  const set = (panel: Panel, width: number): void => {
    chosen.value = { ...chosen.value, [panel]: width && between(width, NARROWEST[panel], widest(panel)) };
  };

  /** Whether there is room for two desks. */
  const isWide = computed(() => window.value - widthOf("list") - widthOf("details") >= WIDE);

  return { beside, isWide, widthOf, widest, set };
});
