/** How each automatable parameter is written, typed, stepped and rounded on this page; its limits are the core's. */
import { must } from "./must";
import { parameterTitle, t } from "@/words";
import { PARAMETERS, type Parameter } from "./declared";
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
  tenths,
} from "./format";

export interface ParameterFace {
  title: string;
  /** What a point's value is called in the table. */
  point: string;
  low: number;
  high: number;
  /** What an arrow key adds, and with Shift; values set by a dragging hand are whole multiples of the unit. */
  unit: number;
  /** To what typed values are rounded. */
  grain: number;
  bigStep: number;
  initial: number;
  hint: string;
  text: (value: number) => string;
  parse: (text: string) => number | null;
}

/** What kind of thing has a parameter. */
export type Kind = "source" | "send" | "return" | "group" | "layer" | "room";

/** The parameters that a kind of thing has itself, those of its pulse left out. */
type Own<K extends Kind> = Exclude<
  { [P in Parameter]: K extends keyof (typeof PARAMETERS)[P]["defaults"] ? P : never }[Parameter],
  `pulse_${string}`
>;

interface Declared {
  low: number;
  high: number;
  unit: string;
  display: (typeof PARAMETERS)[Parameter]["display"];
  in_room: boolean;
  defaults: Partial<Record<Kind, number>>;
}

const DECLARED: Record<Parameter, Declared> = PARAMETERS;

const KINDS: Kind[] = ["source", "send", "return", "group", "layer", "room"];
const OWN = Object.fromEntries(
  KINDS.map((kind) => [
    kind,
    (Object.keys(DECLARED) as Parameter[]).filter(
      (name) => kind in DECLARED[name].defaults && !name.startsWith("pulse_"),
    ),
  ]),
) as { [K in Kind]: Own<K>[] };
const DEFAULTS = Object.fromEntries(
  KINDS.map((kind) => [
    kind,
    Object.fromEntries(OWN[kind].map((name) => [name, DECLARED[name].defaults[kind]])),
  ]),
) as { [K in Kind]: Record<Own<K>, number> };

/** The names of what a kind of thing has itself, in the core's order. */
export const ownOf = <K extends Kind>(kind: K): { [Each in Kind]: Own<Each>[] }[K] => OWN[kind];

/** What a kind of thing has at first. */
export const defaultsOf = <K extends Kind>(kind: K): { [Each in Kind]: Record<Own<Each>, number> }[K] =>
  DEFAULTS[kind];

/** Whether numbers of the one mean the same as numbers of the other, as two places or two levels. */
export const isSameKind = (one: Parameter, other: Parameter): boolean =>
  DECLARED[one].display === DECLARED[other].display;

/** Whether it is heard only where there are more than two loudspeakers. */
export const isOfRoom = (name: Parameter): boolean => DECLARED[name].in_room;

/** Whether each side of a source has its own of it, as in front and front_left. */
export const hasSides = (name: Parameter): boolean => `${name}_left` in DECLARED;
export const isOfSide = (name: Parameter): boolean => /_(left|right)$/.test(name);

/** What is particular to a way of writing a number. */
type Way = Pick<ParameterFace, "unit" | "grain" | "bigStep" | "hint" | "text" | "parse">;
type Make = (of: Declared, initial: number) => Way;

const number = (typed: string, { low, high }: Declared, unit: string): number | null => {
  const value = Number(typed.replace(unit, "").replace("−", "-").trim());
  return typed.trim() && value >= low && value <= high ? value : null;
};

const withUnit: Make = (of, initial) => ({
  unit: 0.0001,
  grain: 0.0001,
  bigStep: 1,
  hint: t("parameters.fromToPrecisionToHighUnit", {
    toPrecision: Number(of.low.toPrecision(2)),
    high: of.high,
    unit: of.unit,
    initial: initial,
  }),
  text: (value) => `${Number(value.toPrecision(3))} ${of.unit}`,
  parse: (typed) => number(typed, of, of.unit),
});

const WAYS: Record<Declared["display"], Make> = {
  place: () => ({
    unit: 0.01,
    grain: 0.001,
    bigStep: 0.1,
    hint: t("parameters.typeL303030ROr"),
    text: panText,
    parse: parsePan,
  }),
  level: (_, initial) => ({
    unit: 0.5,
    grain: 0.1,
    bigStep: 3,
    hint: initial <= OFF_DB ? t("parameters.type8OrOffArrow") : t("parameters.type8OrOffArrow2"),
    text: levelText,
    parse: parseLevel,
  }),
  share: (of, initial) => ({
    unit: 0.01,
    grain: 0.001,
    bigStep: 0.1,
    hint: t("parameters.typeAPercentageArrowKeys", {
      percentText: percentText(initial),
      low: percentText(of.low),
      high: percentText(of.high),
    }),
    text: percentText,
    parse: (text) => parsePercent(text, of.low, of.high),
  }),
  front: (_, initial) => ({
    unit: 0.01,
    grain: 0.001,
    bigStep: 0.1,
    hint: t("parameters.typeF50B50Or0", { initial: initial ? "front" : "middle" }),
    text: depthText,
    parse: parseDepth,
  }),
  height: (of) => ({
    unit: 0.01,
    grain: 0.001,
    bigStep: 0.1,
    hint: t("parameters.typeAPercentageForDown"),
    text: heightText,
    parse: (text) => parsePercent(text, of.low, of.high),
  }),
  degrees: (of) => ({
    unit: 1,
    grain: 0.1,
    bigStep: 10,
    hint: t("parameters.typeDegreesToTheRight"),
    text: (value) => `${tenths(value, 1)}°`.replace("-", "−"),
    parse: (typed) => number(typed, of, "°"),
  }),
  beats: withUnit,
  hertz: withUnit,
};

/** A parameter as a kind of thing has it. */
export function faceOf(parameter: Parameter, kind?: Kind): ParameterFace {
  const of = DECLARED[parameter];
  const initial = (kind && of.defaults[kind]) ?? must(Object.values(of.defaults)[0]);
  const title = parameterTitle(parameter);
  const point = of.display === "place" && !initial ? t("parameters.place") : title;
  return { title, point, low: of.low, high: of.high, initial, ...WAYS[of.display](of, initial) };
}

export const FACES = Object.fromEntries(
  (Object.keys(DECLARED) as Parameter[]).map((name) => [name, faceOf(name)]),
) as Record<Parameter, ParameterFace>;

function rounded(value: number, { low, high }: ParameterFace, to: number): number {
  const perUnit = Math.round(1 / to);
  return clamp(Math.round(value * perUnit) / perUnit, low, high);
}

/** A value that a hand drags: within the limits, in whole units. */
export const tidy = (parameter: Parameter, value: number): number =>
  rounded(value, FACES[parameter], FACES[parameter].unit);

/** A value that is typed or stepped: within the limits, as finely as it is shown. */
export const exact = (parameter: Parameter, value: number): number =>
  rounded(value, FACES[parameter], FACES[parameter].grain);
