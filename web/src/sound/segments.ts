/** Segments as the server sends them: a header, the audio, the meter readings, and a held source. */
import { getBytes } from "@/api/http";
import type { HandReading } from "./hand";
import type { PlayedSegment } from "./voice";

export interface Readings {
  columns: string[];
  /** Meter frames in the segment. */
  count: number;
  values: Float32Array;
}

export interface Fetched {
  played: PlayedSegment;
  readings: Readings;
  reading: HandReading | null;
}

interface Head {
  frames: number;
  channels: number;
  meters: number;
  columns: string[];
  hand: number;
  reading: HandReading | null;
}

/** A treatment of a source that is heard away, matched in loudness at a moment. */
export interface Plain {
  source: string;
  treatment: string;
  at: number;
}

/** How one listens: sources soloed for oneself, the one that is held, and what is heard away. */
export interface Heard {
  solo: string[];
  hand: string;
  plain: Plain | null;
}

export async function fetchSegment(
  session: string,
  index: number,
  revision: number,
  heard: Heard,
  signal: AbortSignal,
): Promise<Fetched> {
  const query = new URLSearchParams({ revision: String(revision) });
  if (heard.solo.length) query.set("solo", heard.solo.join(","));
  if (heard.hand) query.set("hand", heard.hand);
  if (heard.plain) {
    query.set("plain", `${heard.plain.source}:${heard.plain.treatment}`);
    query.set("at", String(heard.plain.at));
  }
  return decode(await getBytes(`/api/sessions/${session}/segments/${index}?${query}`, signal));
}

export function decode(bytes: ArrayBuffer): Fetched {
  const size = new DataView(bytes).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(bytes, 4, size))) as Head;
  let offset = 4 + size;
  const floats = (count: number): Float32Array => {
    const found = new Float32Array(bytes, offset, count);
    offset += 4 * count;
    return found;
  };
  const audio = Array.from({ length: head.channels }, () => floats(head.frames));
  const values = floats(head.meters * head.columns.length);
  const hand = Array.from({ length: head.hand }, () => floats(head.frames));
  return {
    played: { audio, hand },
    readings: { columns: head.columns, count: head.meters, values },
    reading: head.reading,
  };
}
