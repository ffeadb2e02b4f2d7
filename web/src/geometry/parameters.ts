/** How each automatable parameter is written, typed, stepped and rounded on this page. */
import type { Parameter } from "@/session/session";
import {
  clamp,
  depthText,
  heightText,
  LEVEL_TOP,
  levelText,
  OFF_DB,
  panText,
  parseDepth,
  parseLevel,
  parsePan,
  parsePercent,
  percentText,
} from "./pan";

export interface ParameterFace {
  title: string;
  /** What a point's value is called in the table. */
  point: string;
  low: number;
  high: number;
  /** What an arrow key adds, and with Shift; values set by hand are whole multiples of the unit. */
  unit: number;
  bigStep: number;
  initial: number;
  hint: string;
  text: (value: number) => string;
  parse: (text: string) => number | null;
}

const place = (title: string, initial: number): ParameterFace => ({
  title,
  point: initial ? title : "Place",
  low: -1,
  high: 1,
  unit: 0.01,
  bigStep: 0.1,
  initial,
  hint: "Type L30, -30, 30R or c; arrow keys; double-click to reset",
  text: panText,
  parse: parsePan,
});

const level = (title: string): ParameterFace => ({
  title,
  point: title,
  low: OFF_DB,
  high: LEVEL_TOP,
  unit: 0.5,
  bigStep: 3,
  initial: 0,
  hint: "Type −8 or off; arrow keys for half a decibel; double-click for 0 dB",
  text: levelText,
  parse: parseLevel,
});

const share = (title: string, low: number, high: number): ParameterFace => ({
  title,
  point: title,
  low,
  high,
  unit: 0.01,
  bigStep: 0.1,
  initial: 1,
  hint: "Type a percentage; arrow keys; double-click for 100 %",
  text: percentText,
  parse: (text) => parsePercent(text, low, high),
});

const plain = (title: string, low: number, high: number, unit: string): ParameterFace => ({
  title,
  point: title,
  low,
  high,
  unit: 0.0001,
  bigStep: 1,
  initial: 1,
  hint: `From ${Number(low.toPrecision(2))} to ${high} ${unit}; arrow keys; double-click for 1`,
  text: (value) => `${Number(value.toPrecision(3))} ${unit}`,
  parse: (typed) => {
    const value = Number(typed.replace(unit, "").trim());
    return typed.trim() && value >= low && value <= high ? value : null;
  },
});

const along = (title: string, kind: "front" | "height"): ParameterFace => ({
  title,
  point: title,
  low: -1,
  high: 1,
  unit: 0.01,
  bigStep: 0.1,
  initial: kind === "front" ? 1 : 0,
  hint:
    kind === "front"
      ? "Type F50, B50 or 0; arrow keys; double-click for the front"
      : "Type a percentage, - for down; arrow keys; double-click for the ear's height",
  text: kind === "front" ? depthText : heightText,
  parse: kind === "front" ? parseDepth : (text) => parsePercent(text, -1, 1),
});

const degrees = (title: string, low: number, high: number): ParameterFace => ({
  title,
  point: title,
  low,
  high,
  unit: 1,
  bigStep: 10,
  initial: 0,
  hint: "Type degrees, - to the right; arrow keys; double-click for 0",
  text: (value) => `${Math.round(value)}°`.replace("-", "−"),
  parse: (typed) => {
    const value = Number(typed.replace("°", "").replace("−", "-").trim());
    return typed.trim() && value >= low && value <= high ? value : null;
  },
});

export const FACES: Record<Parameter, ParameterFace> = {
  pan: place("Left–right", 0),
  level: level("Level"),
  trim: level("Level trim"),
  pan_left: place("Left side", -1),
  pan_right: place("Right side", 1),
  level_left: level("Left level"),
  level_right: level("Right level"),
  width_left: { ...share("Left side's width", 0, 1), initial: 0 },
  width_right: { ...share("Right side's width", 0, 1), initial: 0 },
  span: share("Span", -1, 1),
  width: share("Width", 0, 2),
  front: along("Front–back", "front"),
  height: along("Height", "height"),
  front_left: along("Left side front–back", "front"),
  front_right: along("Right side front–back", "front"),
  height_left: along("Left side height", "height"),
  height_right: along("Right side height", "height"),
  spread: degrees("Spread", 0, 360),
  rotation: degrees("Rotation", -7200, 7200),
  centre: share("Centre share", 0, 1),
  envelop: {
    ...share("Envelopment", 0, 1),
    initial: 0.7,
    hint: "Type a percentage; arrow keys; double-click for 70 %",
  },
  lfe: { ...level("LFE"), initial: OFF_DB, hint: "Type −8 or off; arrow keys; double-click for off" },
  pulse_depth: share("Pulse depth", 0, 1),
  pulse_period: plain("Pulse cycle", 1 / 16, 64, "beats"),
  pulse_rate: plain("Pulse rate", 0.02, 64, "Hz"),
};

/** A value set by hand: within the limits, in whole units. */
export function tidy(parameter: Parameter, value: number): number {
  const { low, high, unit } = FACES[parameter];
  const perUnit = Math.round(1 / unit);
  return clamp(Math.round(value * perUnit) / perUnit, low, high);
}
