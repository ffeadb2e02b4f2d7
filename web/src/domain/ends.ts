/** Where a source's channels stand: one place, two ends, or a whole row of them, and what dragging one changes. */
import type { Parameter, Source } from "./model";
import { clamp } from "./format";

export interface End {
  /** Which end it is: the whole source, or its left or right side. */
  side: "whole" | "left" | "right";
  at: number;
  /** The part of the field that it stands over, if it has a width. */
  part?: Part;
}

export interface Part {
  from: number;
  to: number;
}

export type Values = Partial<Record<Parameter, number>>;

export type Look = (parameter: Parameter) => number;

const round = (value: number): number => Math.round(value * 1e4) / 1e4;

/** What tells where a source is: what a hand on its place may have hold of. */
export const PLACING: Parameter[] = [
  "pan", "pan_left", "pan_right", "span", "front", "height", "front_left", "front_right", "height_left", "height_right",
  "width_left", "width_right",
]; // prettier-ignore

/** A source's ends from the values that it has. */
export function endsOf(mode: string, value: Look): End[] {
  if (mode === "sides")
    return [
      { side: "left", at: value("pan_left"), part: partOf(value("pan_left"), value("width_left")) },
      { side: "right", at: value("pan_right"), part: partOf(value("pan_right"), value("width_right")) },
    ];
  if (mode === "span") {
    const [centre, width] = [value("pan"), value("span")];
    return [
      { side: "left", at: clamp(centre - width, -1, 1) },
      { side: "right", at: clamp(centre + width, -1, 1) },
    ];
  }
  return [{ side: "whole", at: value("pan") }];
}

/** The part of the field that a side of a width stands over: about its place, as far as the field has room. */
export function partOf(at: number, width: number): Part | undefined {
  if (!width) return undefined;
  const middle = clamp(at, width - 1, 1 - width);
  return { from: middle - width, to: middle + width };
}

/** The width of a side whose part reaches as far as a hand has pulled one of its ends. */
export function widthTo(at: number, reach: number): number {
  const width = Math.abs(reach - at);
  // Where the field ends on one side, the part grows to the other alone.
  const room = 1 - Math.abs(at);
  return clamp(width <= room ? width : (width + room) / 2, 0, 1);
}

/** Every channel's place, in the order of the channels: what the gain table is read at. */
export function channelPlaces(mode: string, channels: number, value: Look): number[] {
  if (mode === "sides") return [value("pan_left"), value("pan_right")];
  const [centre, width] = [value("pan"), mode === "span" ? value("span") : 0];
  return Array.from({ length: channels }, (_, i) =>
    clamp(centre + width * (channels > 1 ? (2 * i) / (channels - 1) - 1 : 0), -1, 1),
  );
}

/** Every channel's depth in a room, in the order of the channels. */
export function frontsOf(mode: string, channels: number, value: Look): number[] {
  if (mode === "sides") return [value("front_left"), value("front_right")];
  return Array.from({ length: channels }, () => value("front"));
}

/** The values that change when an end is put somewhere; the other end of a span stays where it is. */
export function dragged(mode: string, side: End["side"], to: number, value: Look): Values {
  const at = clamp(to, -1, 1);
  if (mode === "sides") {
    if (side === "left") return { pan_left: at };
    if (side === "right") return { pan_right: at };
    const by = at - (value("pan_left") + value("pan_right")) / 2;
    return {
      pan_left: clamp(value("pan_left") + by, -1, 1),
      pan_right: clamp(value("pan_right") + by, -1, 1),
    };
  }
  if (mode === "span" && side !== "whole") {
    const other = clamp(value("pan") + (side === "left" ? value("span") : -value("span")), -1, 1);
    const span = side === "left" ? (other - at) / 2 : (at - other) / 2;
    return { pan: round((at + other) / 2), span: round(span) };
  }
  return { pan: at };
}

/** The parameters that a way of panning reads, places first. */
export function parametersOf(source: Pick<Source, "mode">): Parameter[] {
  if (source.mode === "sides") return ["pan_left", "pan_right"];
  return source.mode === "span" ? ["pan", "span"] : ["pan"];
}
