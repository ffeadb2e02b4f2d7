/** How each automatable parameter is written, typed, stepped and rounded on this page. */
import type { Parameter } from "@/session/session";
import { clamp, LEVEL_TOP, levelText, OFF_DB, panText, parseLevel, parsePan } from "./pan";

export interface ParameterFace {
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

export const FACES: Record<Parameter, ParameterFace> = {
  pan: {
    low: -1,
    high: 1,
    unit: 0.01,
    bigStep: 0.1,
    initial: 0,
    hint: "Type L30, -30, 30R or c; arrow keys; double-click for the centre",
    text: panText,
    parse: parsePan,
  },
  level: {
    low: OFF_DB,
    high: LEVEL_TOP,
    unit: 0.5,
    bigStep: 3,
    initial: 0,
    hint: "Type −8 or off; arrow keys for half a decibel; double-click for 0 dB",
    text: levelText,
    parse: parseLevel,
  },
};

/** A value set by hand: within the limits, in whole units. */
export function tidy(parameter: Parameter, value: number): number {
  const { low, high, unit } = FACES[parameter];
  const perUnit = Math.round(1 / unit);
  return clamp(Math.round(value * perUnit) / perUnit, low, high);
}
