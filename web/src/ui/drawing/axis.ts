/** The one horizontal axis of the centre column: the lateral field, or a lane's own scale. */
import type { Parameter } from "@/domain/model";
import { scaleLinear, scaleLog } from "d3-scale";
import { FACES } from "@/domain/parameters";

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
  if (parameter.startsWith("pan")) {
    const scale = scaleLinear().domain([-1, 1]).range(range).clamp(true);
    const ticks = PAN_TICKS.map((value) => ({
      value,
      label: value === 0 ? "C" : `${value < 0 ? "L" : "R"}${Math.abs(value) * 100}`,
      side: value === 0 ? "" : value < 0 ? "side-left" : "side-right",
    }));
    return { x: scale, value: (x) => scale.invert(x), ticks };
  }
  if (parameter !== "trim" && !parameter.startsWith("level")) return shareAxis(parameter, range);
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

/** Span, width and pulses: their own scale, least at the left; lengths and rates by ratios. */
function shareAxis(parameter: Parameter, range: readonly [number, number]): Axis {
  const { text } = FACES[parameter];
  // A rotation may go round many times; what is drawn of it is two turns either way.
  const { low, high } = parameter === "rotation" ? { low: -720, high: 720 } : FACES[parameter];
  const byRatio = parameter === "pulse_period" || parameter === "pulse_rate";
  const scale = (byRatio ? scaleLog() : scaleLinear()).domain([low, high]).range(range).clamp(true);
  const ticks = [0, 0.25, 0.5, 0.75, 1].map((share) => {
    const value = byRatio ? low * (high / low) ** share : low + share * (high - low);
    return { value, label: text(value), side: "" };
  });
  return { x: scale, value: (x) => scale.invert(x), ticks };
}

/** Levels from top to bottom: 12 dB above, off at the bottom, most room where mixing happens. */
export function levelHeight(top: number, bottom: number): Axis {
  const at = (share: number): number => bottom + share * (top - bottom);
  const scale = scaleLinear()
    .domain([-96, -60, -36, -24, -12, 0, 12])
    .range([at(0), at(0.05), at(0.14), at(0.32), at(0.62), at(0.92), at(1)])
    .clamp(true);
  const ticks = [-96, -36, -24, -18, -12, -6, 0, 6].map((value) => ({
    value,
    label: value === -96 ? "off" : value > 0 ? `+${value}` : String(value).replace("-", "−"),
    side: "",
  }));
  return { x: scale, value: (y) => scale.invert(y), ticks };
}

/** Fewer labels where there is no room for all. */
export const labelled = (width: number, index: number): boolean => width > 520 || index % 2 === 0;
