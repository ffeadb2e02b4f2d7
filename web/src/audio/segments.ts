/** Segments as the server sends them: a header, the audio, what the meters show, and a held source. */
import { must } from "@/domain/must";
import { getBytes } from "@/api/http";
import type { HandReading } from "./heldSource";
import type { PlayedSegment } from "./voice";

/** Segments in a second. */
export const PER_SECOND = 2;

export interface Readings {
  columns: string[];
  /** Meter frames in the segment. */
  count: number;
  values: Float32Array;
}

/** Left, right and mono by band (dB), and where mono has notches: [Hz, dB]. */
export interface Spectrum {
  left: Float32Array;
  right: Float32Array;
  mono: Float32Array;
  notches: [number, number][];
}

/** What sounds as pictures: points of the phase picture frame by frame, spectra a few times in the segment. */
export interface Pictures {
  /** Pairs of numbers in each meter frame: across, up, across, up… */
  pairs: number;
  points: Float32Array;
  spectra: Spectrum[];
}

export interface Fetched {
  /** With it, segments after this one are measured on from how this one sounded. */
  key: string;
  played: PlayedSegment;
  readings: Readings;
  pictures: Pictures;
  reading: HandReading | null;
}

interface Head {
  key: string;
  frames: number;
  channels: number;
  meters: number;
  columns: string[];
  pairs: number;
  spectra: number;
  bands: number;
  notches: [number, number][][];
  hand: number;
  reading: HandReading | null;
}

/** A treatment of a source that is heard away, matched in loudness at a moment. */
export interface Bypass {
  source: string;
  treatment: string;
  at: number;
}

/** Changes that are heard before anybody applies them, and the level (dB) that makes them as loud as without. */
export interface Trial {
  changes: { source: string; level: number; place: number }[];
  trim: number;
}

/** An earlier revision, and the level (dB) that makes it as loud as the present. */
export interface Earlier {
  revision: number;
  trim: number;
}

/** How one listens: sources soloed for oneself, the one that is held, what is heard away or on trial, the monitor. */
export interface Heard {
  solo: string[];
  hand: string;
  bypass: Bypass | null;
  trial: Trial | null;
  monitor: string;
  /** The hand holds the level too: the source comes without it. */
  free: boolean;
  /** Other moves, as the server words them: a draft, a lane without automation or as it was. */
  moves: string[];
  /** The beats are struck. */
  click: boolean;
  /** An earlier revision in place of the present. */
  earlier: Earlier | null;
}

export async function fetchSegment(
  session: string,
  index: number,
  revision: number,
  heard: Heard,
  past: string[],
  ahead: number,
  signal: AbortSignal,
): Promise<Fetched> {
  const query = new URLSearchParams({ revision: String(heard.earlier?.revision ?? revision) });
  if (heard.earlier) query.set("trim", heard.earlier.trim.toFixed(3));
  if (heard.solo.length) query.set("solo", heard.solo.join(","));
  if (heard.hand) query.set("hand", heard.hand);
  if (heard.hand && heard.free) query.set("free", "true");
  if (heard.moves.length) query.set("moves", heard.moves.join(","));
  if (heard.click) query.set("click", "true");
  if (heard.bypass) {
    query.set("bypass", `${heard.bypass.source}:${heard.bypass.treatment}`);
    query.set("at", String(heard.bypass.at));
  }
  if (heard.monitor !== "stereo") query.set("monitor", heard.monitor);
  if (heard.trial) {
    query.set("trial", heard.trial.changes.map((one) => `${one.source}:${one.level}:${one.place}`).join(","));
    query.set("trim", heard.trial.trim.toFixed(3));
  }
  if (past.some(Boolean)) query.set("past", past.join(","));
  // What sounds sooner goes first.
  if (ahead) query.set("ahead", String(ahead));
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
  const points = floats(head.meters * head.pairs * 2);
  const spectra = Array.from({ length: head.spectra }, (_, i) => ({
    left: floats(head.bands),
    right: floats(head.bands),
    mono: floats(head.bands),
    notches: must(head.notches[i]),
  }));
  const hand = Array.from({ length: head.hand }, () => floats(head.frames));
  return {
    key: head.key,
    played: { audio, hand },
    readings: { columns: head.columns, count: head.meters, values },
    pictures: { pairs: head.pairs, points, spectra },
    reading: head.reading,
  };
}
