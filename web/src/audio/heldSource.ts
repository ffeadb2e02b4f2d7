/** A held source's ways to both loudspeakers, looked up in the core's gain table at the places it is held at. */
import { must } from "@/domain/must";
import type { GainTable } from "@/domain/model";
import { clamp, LEVEL_TOP, OFF_DB } from "@/domain/format";
import type { Tap } from "./voice";

/** What the core says of a source's placement, whatever the hand does with its places. */
export interface HandReading {
  /** Every channel comes twice: as it is turned down for the left, and for the right. */
  two_sided: boolean;
  /** What comes, channel by channel: of which of the source's it is, and where from its place it sounds, how strong. */
  rows: HandRow[];
  /** Each of the source's channels' gain. */
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
  /** What reaches either ear of left and right, in this person's way of listening. */
  monitor: number[][];
  /** In a room of loudspeakers: what reaches either ear from everywhere. */
  room: RoomReading | null;
}

export interface HandRow {
  channel: number;
  /** How far from the middle of the field the place may be, before the offsets. */
  most: number;
  taps: { offset: number; gain: number }[];
}

/** Tables over the plan, flat: by y from back to front, x from left to right, ear, version (left, right or both). */
export interface RoomReading {
  steps: number;
  versions: number;
  tables: number[][];
  weights: number[];
}

/** From where each row of what comes sounds, and how strong: its taps at their offsets from its channel's place. */
function rowPlaces(
  rows: HandRow[],
  places: number[],
): { input: number; channel: number; at: number; gain: number }[] {
  return rows.flatMap(({ channel, most, taps }, input) =>
    taps.map(({ offset, gain }) => ({
      input,
      channel,
      at: clamp(clamp(places[channel] ?? 0, -most, most) + offset, -1, 1),
      gain,
    })),
  );
}

/** A held source's ways to both ears from places in a room, between the table's places as they lie. */
export function roomTaps(
  reading: RoomReading,
  rows: HandRow[],
  places: { x: number; y: number }[],
  level = 1,
): Tap[] {
  const { steps, versions } = reading;
  const each = 2 * versions;
  const across = places.map(({ x }) => x);
  return rowPlaces(rows, across).flatMap(({ input, channel, at: x, gain }) => {
    const table = must(reading.tables[Math.min(channel, reading.tables.length - 1)]);
    const weight = (reading.weights[channel] ?? 0) * gain * level;
    const y = places[channel]?.y ?? 1;
    const [ax, ay] = [x, y].map((value) => ((Math.min(Math.max(value, -1), 1) + 1) / 2) * (steps - 1)) as [
      number,
      number,
    ];
    const [left, back] = [Math.min(Math.floor(ax), steps - 2), Math.min(Math.floor(ay), steps - 2)];
    const [right, front] = [ax - left, ay - back];
    const from = (row: number, column: number, which: number): number =>
      table[(row * steps + column) * each + which] ?? 0;
    const found = (which: number): number =>
      (from(back, left, which) * (1 - right) + from(back, left + 1, which) * right) * (1 - front) +
      (from(back + 1, left, which) * (1 - right) + from(back + 1, left + 1, which) * right) * front;
    return [0, 1].flatMap((output) =>
      Array.from({ length: versions }, (_, version) => ({
        input: input + version * rows.length,
        output,
        gain: found(output * versions + version) * weight,
        delay: 0,
      })),
    );
  });
}

/** The ways as they reach the ears. */
function monitored(ways: Tap[], matrix: number[][]): Tap[] {
  if (must(matrix[0])[0] === 1 && must(matrix[1])[1] === 1 && !must(matrix[0])[1] && !must(matrix[1])[0])
    return ways;
  return ways.flatMap((way) =>
    [0, 1].map((output) => ({ ...way, output, gain: way.gain * must(must(matrix[output])[way.output]) })),
  );
}

/** The gain of a level (dB), looked up in the core's table. */
export function gainOf(gains: GainTable, level: number): number {
  const share = (level - OFF_DB) / (LEVEL_TOP - OFF_DB);
  return gains.levels[Math.round(Math.min(Math.max(share, 0), 1) * (gains.levels.length - 1))] ?? 1;
}

/** `level` is the gain of what the hand holds besides the place. */
export function handTaps(
  reading: HandReading,
  gains: GainTable,
  places: number[],
  rate: number,
  level = 1,
): Tap[] {
  const table = gains[reading.table];
  const all = rowPlaces(reading.rows, places).flatMap(({ input, channel, at: place, gain }) => {
    const row = table[Math.round(((place * reading.share + 1) / 2) * (gains.positions - 1))] ?? [0, 0];
    const weight = (reading.weights[channel] ?? 0) * gain * level;
    const sides = [0, 1].map((output) => {
      const silent = reading.on_its_side && output !== channel;
      return silent ? 0 : must(row[output]) * weight;
    });
    const apart = place * reading.most * rate;
    const late = [0, 1].map((output) => {
      const sign = output === 0 ? 1 : -1;
      return reading.far ? Math.max(sign * apart, 0) : (reading.most * rate + sign * apart) / 2;
    });
    const ways = [0, 1].map((output) => ({
      input,
      output,
      gain:
        must(sides[output]) * reading.here + (reading.most ? 0 : must(sides[1 - output]) * reading.opposite),
      delay: must(late[output]),
    }));
    // With timing the copy arrives in its own time: it is a way of its own.
    if (!reading.most || !reading.opposite) return ways;
    const copy = [0, 1].map((output) => ({
      input,
      output,
      gain: must(sides[1 - output]) * reading.opposite,
      delay: must(late[1 - output]),
    }));
    return [...ways, ...copy];
  });
  const turned = reading.two_sided
    ? all.map((way) => ({ ...way, input: way.input + way.output * reading.rows.length }))
    : all;
  return monitored(turned, reading.monitor);
}
