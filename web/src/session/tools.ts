/** What the pointer does on the chart, and what it snaps to: personal. */
import type { Parameter } from "@/domain/model";
import { t } from "@/words";
import { useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { ref } from "vue";
import { BARS } from "@/domain/grid";
import { tidy } from "@/domain/parameters";

export type Tool = "points" | "range" | "free" | "straight" | "steps";

export const TOOLS: { name: Tool; title: string; tip: string; key: string }[] = [
  { name: "points", title: t("tools.points"), tip: t("tools.dragPointsDoubleClickFor"), key: "p" },
  { name: "range", title: t("tools.range"), tip: t("tools.dragDownThePageTo"), key: "t" },
  { name: "free", title: t("tools.freehand"), tip: t("tools.drawByHand"), key: "f" },
  { name: "straight", title: t("tools.line"), tip: t("tools.drawOneStraightLineFrom"), key: "l" },
  { name: "steps", title: t("tools.steps"), tip: t("tools.drawStepsOnTheGrid"), key: "e" },
];

export const SNAPS = [
  { parts: BARS, title: t("tools.bar") },
  { parts: 1, title: t("tools.beat") },
  { parts: 2, title: t("tools.partOfABeat", { parts: 2 }) },
  { parts: 3, title: t("tools.partOfABeat", { parts: 3 }) },
  { parts: 4, title: t("tools.partOfABeat", { parts: 4 }) },
  { parts: 6, title: t("tools.partOfABeat", { parts: 6 }) },
  { parts: 8, title: t("tools.partOfABeat", { parts: 8 }) },
  { parts: 0, title: t("tools.noGrid") },
];

/** Places that one snaps to, and how near. */
const PLACES = [-1, 0, 1];
const NEAR = 0.12;

export const useTools = defineStore("tools", () => {
  const tool = ref<Tool>("points");
  /** Whether places snap to left, centre and right. */
  const toPlaces = useLocalStorage("snap-places", false);
  const waveform = useLocalStorage("chart-waveform", true);
  const others = useLocalStorage<"shown" | "dimmed" | "hidden">("chart-others", "shown");

  function toValue(parameter: Parameter, value: number, free = false): number {
    const near = toPlaces.value && !free && parameter.startsWith("pan");
    // A step is always at one of them: there is no hand that could pass between.
    const reach = tool.value === "steps" ? 0.5 : NEAR;
    const place = near ? PLACES.find((one) => Math.abs(one - value) <= reach) : undefined;
    return place ?? tidy(parameter, value);
  }

  return { tool, toPlaces, waveform, others, toValue };
});
