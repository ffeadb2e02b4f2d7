/** The geometry of a bar's figure: gains to either side of a centre line, beats down the page. */
import { t } from "@/words";
import { must } from "@/domain/must";
import type { Reading } from "@/session/pulses";

export const HEAD = 58;
export const FOOT = 10;
export const ROOM = { left: 96, right: 112 };

export interface Frame {
  width: number;
  height: number;
  /** Beats in the bar, in its own units. */
  count: number;
}

export const centreOf = ({ width }: Frame): number => ROOM.left + reachOf({ width });

/** How far full gain reaches from the centre line (px). */
export const reachOf = ({ width }: Pick<Frame, "width">): number =>
  Math.max((width - ROOM.left - ROOM.right) / 2, 20);

/** Where a beat (from 1) is down the page. */
export const beatY = ({ height, count }: Frame, beat: number): number =>
  HEAD + ((beat - 1) / count) * (height - HEAD - FOOT);

/** The outline of one side: from the centre line out to its gain, beat by beat. */
export function sidePath(frame: Frame, beats: number[], gains: number[], side: -1 | 1): string {
  if (!beats.length) return "";
  const centre = centreOf(frame);
  const reach = reachOf(frame);
  const edge = beats.map(
    (beat, i) => `${(centre + side * must(gains[i]) * reach).toFixed(1)} ${beatY(frame, beat).toFixed(1)}`,
  );
  return `M${centre} ${beatY(frame, must(beats[0])).toFixed(1)}L${edge.join("L")}L${centre} ${beatY(frame, must(beats.at(-1))).toFixed(1)}Z`;
}

/** A line of places (-1…1) down the page. */
export function placePath(frame: Frame, beats: number[], places: number[]): string {
  const points = beats.map(
    (beat, i) =>
      `${(centreOf(frame) + must(places[i]) * reachOf(frame)).toFixed(1)} ${beatY(frame, beat).toFixed(1)}`,
  );
  return points.length ? `M${points.join("L")}` : "";
}

export interface SideMark {
  side: "left" | "right";
  /** Silent or full. */
  state: "silent" | "full";
  text: string;
}

/** What is marked beside a beat: each side that falls silent there, or is full. */
export function marksOf(reading: Reading, beat: number): SideMark[] {
  const has = (beats: number[] | undefined): boolean => !!beats?.some((one) => Math.abs(one - beat) < 1e-6);
  return (["left", "right"] as const).flatMap((side) => {
    const state = has(reading.silent[side]) ? "silent" : has(reading.full[side]) ? "full" : null;
    return state
      ? [{ side, state, text: t(`pulseFigure.${state}`, { side: side === "left" ? "L" : "R" }) }]
      : [];
  });
}
