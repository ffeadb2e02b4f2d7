/** A held source's ways to both loudspeakers, looked up in the core's gain table at the places it is held at. */
import type { GainTable } from "@/session/session";
import type { Tap } from "./voice";

/** What the core says of a source's placement, whatever the hand does with its places. */
export interface HandReading {
  /** Each channel's gain. */
  weights: number[];
  table: "law" | "balance";
  /** Each channel sounds on its own side only. */
  on_its_side: boolean;
  /** How much of a place the levels tell. */
  share: number;
  /** Gains of the source where it stands, and of its copy opposite. */
  here: number;
  opposite: number;
  /** The difference of arrival (s) at either end, and whether only the far side is late. */
  most: number;
  far: boolean;
}

export function handTaps(reading: HandReading, gains: GainTable, places: number[], rate: number): Tap[] {
  const rows = gains[reading.table];
  return places.flatMap((place, input) => {
    const row = rows[Math.round(((place * reading.share + 1) / 2) * (gains.positions - 1))] ?? [0, 0];
    const weight = reading.weights[input] ?? 0;
    const sides = [0, 1].map((output) => {
      const silent = reading.on_its_side && output !== input;
      return silent ? 0 : row[output]! * weight;
    });
    const apart = place * reading.most * rate;
    const late = [0, 1].map((output) => {
      const sign = output === 0 ? 1 : -1;
      return reading.far ? Math.max(sign * apart, 0) : (reading.most * rate + sign * apart) / 2;
    });
    const ways = [0, 1].map((output) => ({
      input,
      output,
      gain: sides[output]! * reading.here + (reading.most ? 0 : sides[1 - output]! * reading.opposite),
      delay: late[output]!,
    }));
    // With timing the copy arrives in its own time: it is a way of its own.
    if (!reading.most || !reading.opposite) return ways;
    const copy = [0, 1].map((output) => ({
      input,
      output,
      gain: sides[1 - output]! * reading.opposite,
      delay: late[1 - output]!,
    }));
    return [...ways, ...copy];
  });
}
