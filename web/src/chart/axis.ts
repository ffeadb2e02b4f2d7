/** The one horizontal axis of the centre column: the lateral field, or a lane's own scale. */
import { scaleLinear } from "d3-scale";
import { computed, type Ref } from "vue";
import type { Parameter } from "@/session/session";

/** Room for the ribs and bar numbers at the left, and for the label of R100 at the right. */
export const MARGIN = { left: 48, right: 24 };

export interface Axis {
  x: (value: number) => number;
  value: (x: number) => number;
  ticks: { value: number; label: string; side: string }[];
}

const PAN_TICKS = [-1, -0.75, -0.5, -0.25, 0, 0.25, 0.5, 0.75, 1];
const LEVEL_TICKS = [-96, -48, -24, -12, -6, 0, 6, 12];

export function axisFor(parameter: Parameter, width: number): Axis {
  const range = [MARGIN.left, Math.max(width - MARGIN.right, MARGIN.left + 1)] as const;
  if (parameter === "pan") {
    const scale = scaleLinear().domain([-1, 1]).range(range).clamp(true);
    const ticks = PAN_TICKS.map((value) => ({
      value,
      label: value === 0 ? "C" : `${value < 0 ? "L" : "R"}${Math.abs(value) * 100}`,
      side: value === 0 ? "" : value < 0 ? "side-left" : "side-right",
    }));
    return { x: scale, value: (x) => scale.invert(x), ticks };
  }
  const at = (share: number): number => range[0] + share * (range[1] - range[0]);
  const scale = scaleLinear()
    .domain([-96, -48, -24, 12])
    .range([at(0), at(0.12), at(0.36), at(1)])
    .clamp(true);
  const ticks = LEVEL_TICKS.map((value) => ({
    value,
    label: value === -96 ? "off" : value > 0 ? `+${value}` : String(value).replace("-", "−"),
    side: "",
  }));
  return { x: scale, value: (x) => scale.invert(x), ticks };
}

export const useAxis = (parameter: Ref<Parameter>, width: Ref<number>) =>
  computed(() => axisFor(parameter.value, width.value));

/** Fewer labels where there is no room for all. */
export const labelled = (width: number, index: number): boolean => width > 520 || index % 2 === 0;
