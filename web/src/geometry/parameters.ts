/** How each automatable parameter is written, typed, stepped and rounded on this page; its limits are the core's. */
import { PARAMETERS, type Parameter } from "@/api/parameters";
import {
  clamp,
  depthText,
  heightText,
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

interface Declared {
  title: string;
  low: number;
  high: number;
  unit: string;
  display: (typeof PARAMETERS)[Parameter]["display"];
  default: number;
}

/** What is particular to a way of writing a number. */
type Way = Pick<ParameterFace, "unit" | "bigStep" | "hint" | "text" | "parse">;

const number = (typed: string, { low, high }: Declared, unit: string): number | null => {
  const value = Number(typed.replace(unit, "").replace("−", "-").trim());
  return typed.trim() && value >= low && value <= high ? value : null;
};

const withUnit = (of: Declared): Way => ({
  unit: 0.0001,
  bigStep: 1,
  hint: `From ${Number(of.low.toPrecision(2))} to ${of.high} ${of.unit}; arrow keys; double-click for ${of.default}`,
  text: (value) => `${Number(value.toPrecision(3))} ${of.unit}`,
  parse: (typed) => number(typed, of, of.unit),
});

const WAYS: Record<Declared["display"], (of: Declared) => Way> = {
  place: () => ({
    unit: 0.01,
    bigStep: 0.1,
    hint: "Type L30, -30, 30R or c; arrow keys; double-click to reset",
    text: panText,
    parse: parsePan,
  }),
  level: (of) => ({
    unit: 0.5,
    bigStep: 3,
    hint:
      of.default <= OFF_DB
        ? "Type −8 or off; arrow keys; double-click for off"
        : "Type −8 or off; arrow keys for half a decibel; double-click for 0 dB",
    text: levelText,
    parse: parseLevel,
  }),
  share: (of) => ({
    unit: 0.01,
    bigStep: 0.1,
    hint: `Type a percentage; arrow keys; double-click for ${percentText(of.default)}`,
    text: percentText,
    parse: (text) => parsePercent(text, of.low, of.high),
  }),
  front: () => ({
    unit: 0.01,
    bigStep: 0.1,
    hint: "Type F50, B50 or 0; arrow keys; double-click for the front",
    text: depthText,
    parse: parseDepth,
  }),
  height: (of) => ({
    unit: 0.01,
    bigStep: 0.1,
    hint: "Type a percentage, - for down; arrow keys; double-click for the ear's height",
    text: heightText,
    parse: (text) => parsePercent(text, of.low, of.high),
  }),
  degrees: (of) => ({
    unit: 1,
    bigStep: 10,
    hint: "Type degrees, - to the right; arrow keys; double-click for 0",
    text: (value) => `${Math.round(value)}°`.replace("-", "−"),
    parse: (typed) => number(typed, of, "°"),
  }),
  beats: withUnit,
  hertz: withUnit,
};

function faceOf(of: Declared): ParameterFace {
  const point = of.display === "place" && !of.default ? "Place" : of.title;
  return { title: of.title, point, low: of.low, high: of.high, initial: of.default, ...WAYS[of.display](of) };
}

export const FACES = Object.fromEntries(
  Object.entries(PARAMETERS).map(([name, declared]) => [name, faceOf(declared)]),
) as Record<Parameter, ParameterFace>;

/** A value set by hand: within the limits, in whole units. */
export function tidy(parameter: Parameter, value: number): number {
  const { low, high, unit } = FACES[parameter];
  const perUnit = Math.round(1 / unit);
  return clamp(Math.round(value * perUnit) / perUnit, low, high);
}
