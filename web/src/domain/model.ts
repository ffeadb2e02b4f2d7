/** What a session's document holds, by its types: made from the server's, so that both change as one. */
import type { components } from "@/api/schema";
import type { Parameter } from "./declared";

export type Schemas = components["schemas"];

export type { Parameter };

type StoredPoint = Schemas["StoredPoint"];

/** A point; a shape that is whole goes without saying. */
export type Point = Omit<StoredPoint, "shape_start" | "shape_end"> &
  Partial<Pick<StoredPoint, "shape_start" | "shape_end">>;

export interface ShapeTables {
  steps: number;
  shapes: Record<string, number[][]>;
}

export type Source = Schemas["StoredSource"];
export type Passage = Schemas["StoredPassage"];
export type Group = Schemas["StoredGroup"];
export type Return = Schemas["StoredReturn"];
export type Send = Schemas["StoredSend"];
export type Layer = Schemas["StoredLayer"];
/** What can be automated of a pulse, whatever it moves. */
export type PulseParameter = Extract<Parameter, `pulse_${string}`>;

/** What a parameter is called among the values of a pulse. */
export const ofPulse = (parameter: PulseParameter): "depth" | "period" | "rate" =>
  parameter.slice("pulse_".length) as "depth" | "period" | "rate";
export const isOfPulse = (parameter: Parameter): parameter is PulseParameter =>
  parameter.startsWith("pulse_");

/** A lane: what it belongs to (a source's id, `send:…`, `return:…`, `group:…`) and the parameter. */
export interface LaneName {
  owner: string;
  parameter: Parameter;
}

export interface GainTable {
  positions: number;
  law: number[][];
  balance: number[][];
  /** The gain of every level from off to the highest, in even steps. */
  levels: number[];
}

/** What a control holds: a number, a choice, a name, a row of points or of steps. */
export type Value = number | boolean | string | object;

export interface Pending {
  value: Value;
  /** Ids of the operations that carry it; none while the hand still holds it. */
  ids: Set<string>;
  /** Whether it is heard by having it rendered while it is held, and until it has come back. */
  isRendered: boolean;
}
