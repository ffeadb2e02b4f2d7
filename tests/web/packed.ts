/** A segment as the server packs it (form: float), for tests of what asks for it and reads it. */
import { deflateSync } from "node:zlib";
import type { HandReading } from "@/audio/heldSource";

export interface Given {
  key?: string;
  /** The channels, tails and all, and behind them those of a held source. */
  channels: number[][];
  held?: number;
  tail?: number;
  columns?: string[];
  /** Meter frame by meter frame. */
  rows?: number[][];
  /** Pairs of coordinates in each meter frame. */
  points?: number[][];
  /** Left, right and mono of each spectrum. */
  spectra?: number[][][];
  notches?: [number, number][][];
  reading?: HandReading | null;
}

const counted = (rows: number[][]): Int16Array => {
  const whole = rows.map((row) =>
    row.map((value) => (Number.isNaN(value) ? -(1 << 15) : Math.round(value * 256))),
  );
  return Int16Array.from(
    whole.flatMap((row, at) => row.map((value, i) => value - (whole[at - 1]?.[i] ?? 0))),
  );
};

/** What inflates what `packed` deflates by `stored`: as it is, so that a test need not wait for another thread. */
export class Stored extends TransformStream {
  constructor() {
    super();
  }
}
export const stored = (side: Buffer): Buffer => side;

/** `more` of its head, where it is to say something else. */
export function packed(
  given: Given,
  more: object = {},
  deflated = (side: Buffer): Buffer => deflateSync(side),
): ArrayBuffer {
  const { channels, held = 0, tail = 0, columns = [], rows = [], points = [], spectra = [] } = given;
  const frames = (channels[0]?.length ?? 0) - tail;
  const head = {
    key: given.key ?? "k", rate: 48000, form: "float", frames, lead: 0, tail, channels: channels.length - held, gain: 1,
    blocks: channels.map((channel) => 4 * channel.length), meters: rows.length, columns,
    pairs: (points[0]?.length ?? 0) / 2, spectra: spectra.length, bands: spectra[0]?.[0]?.length ?? 0,
    notches: given.notches ?? spectra.map(() => []), hand: held, reading: given.reading ?? null, ...more,
  }; // prettier-ignore
  const text = Buffer.from(JSON.stringify(head));
  const length = Buffer.alloc(4);
  length.writeUInt32LE(text.length);
  const beside = [
    Buffer.from(counted(rows).buffer),
    Buffer.from(counted(spectra.flat()).buffer),
    Buffer.from(Int8Array.from(points.flat(), (value) => Math.round(value * 127)).buffer),
  ];
  const side = deflated(Buffer.concat([length, text, ...beside]));
  const size = Buffer.alloc(4);
  size.writeUInt32LE(side.length);
  const sound = Buffer.from(Float32Array.from(channels.flat()).buffer);
  return Uint8Array.from(Buffer.concat([size, side, sound])).buffer;
}
