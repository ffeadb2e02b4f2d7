/** Segments as the server sends them: a header, the audio, what the meters show, and a held source. */
import { must } from "@/domain/must";
import { getResponse } from "@/api/http";
import type { Form } from "@/domain/sound";
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

/** What there is of a segment already, by which the server leaves out what has not changed. */
export interface There {
  /** Of its sound; with it, segments after this one are measured on from how this one sounded. */
  key: string;
  /** Of its sound and all that the meters show through it. */
  tag: string;
}

export interface Fetched extends There {
  /** None where the sound that is there is the same still. */
  played: PlayedSegment | null;
  readings: Readings;
  pictures: Pictures;
  reading: HandReading | null;
}

/** How a body came over the line: its bytes, and when (ms) its first and its last were there. */
export interface Carried {
  bytes: number;
  from: number;
  to: number;
}

interface Head {
  key: string;
  rate: number;
  form: Form;
  frames: number;
  lead: number;
  tail: number;
  channels: number;
  gain: number;
  blocks: number[];
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
  /** What hands hold, as the server words it. */
  held: string[];
  /** The beats are struck. */
  click: boolean;
  /** An earlier revision in place of the present. */
  earlier: Earlier | null;
}

/** Which segment is asked for, and how it is to come. */
export interface SegmentQuery {
  index: number;
  revision: number;
  heard: Heard;
  /** The keys of the segments before, as they sounded. */
  past: string[];
  /** In so many seconds it sounds. */
  ahead: number;
  form: Form;
  /** Its sound alone is wanted, as soon as can be. */
  unmeasured: boolean;
  /** What is there of it and may stay. */
  there: There | null;
}

function parametersOf(query: SegmentQuery): URLSearchParams {
  const { heard } = query;
  const parameters = new URLSearchParams({ revision: String(heard.earlier?.revision ?? query.revision) });
  if (heard.earlier) parameters.set("trim", heard.earlier.trim.toFixed(3));
  if (heard.solo.length) parameters.set("solo", heard.solo.join(","));
  if (heard.hand) parameters.set("hand", heard.hand);
  if (heard.hand && heard.free) parameters.set("free", "true");
  if (heard.moves.length) parameters.set("moves", heard.moves.join(","));
  if (heard.held.length) parameters.set("held", heard.held.join(","));
  if (heard.click) parameters.set("click", "true");
  if (heard.bypass) {
    parameters.set("bypass", `${heard.bypass.source}:${heard.bypass.treatment}`);
    parameters.set("at", String(heard.bypass.at));
  }
  if (heard.monitor !== "stereo") parameters.set("monitor", heard.monitor);
  if (heard.trial) {
    parameters.set(
      "trial",
      heard.trial.changes.map((one) => `${one.source}:${one.level}:${one.place}`).join(","),
    );
    parameters.set("trim", heard.trial.trim.toFixed(3));
  }
  if (query.past.some(Boolean)) parameters.set("past", query.past.join(","));
  if (query.form !== "float") parameters.set("form", query.form);
  if (query.there) parameters.set("has", query.there.key);
  if (query.unmeasured) parameters.set("unmeasured", "true");
  // What sounds sooner goes first.
  if (query.ahead) parameters.set("ahead", String(query.ahead));
  return parameters;
}

/** What is noted while a segment comes. */
export interface Coming {
  /** Its first byte is there. */
  begun: () => void;
  carried: (how: Carried) => void;
}

/** Ask for a segment. Nothing where all that is there of it is as it was. */
export async function fetchSegment(
  session: string,
  query: SegmentQuery,
  signal: AbortSignal,
  { begun, carried }: Coming,
): Promise<Fetched | null> {
  const known: HeadersInit = query.there ? { "If-None-Match": `W/"${query.there.tag}"` } : {};
  const path = `/api/sessions/${session}/segments/${query.index}?${parametersOf(query)}`;
  const response = await getResponse(path, signal, known);
  if (response.status === 304) return null;
  begun();
  const from = performance.now();
  const bytes = await response.arrayBuffer();
  carried({ bytes: bytes.byteLength, from, to: performance.now() });
  const tag = (response.headers.get("ETag") ?? "").replace(/^W\//, "").replaceAll('"', "");
  return decode(bytes, tag);
}

/** Readings that were counted in 16 bits, and told row by row as what each differs by from the one before. */
function unpackRows(bytes: DataView, from: number, rows: number, width: number): Float32Array {
  const [step, unknown] = [1 / 256, -(1 << 15)];
  const values = new Float32Array(rows * width);
  const counted = new Int16Array(width);
  for (let i = 0; i < values.length; i += 1) {
    const column = i % width;
    counted[column] = must(counted[column]) + bytes.getInt16(from + 2 * i, true);
    values[i] = counted[column] === unknown ? NaN : must(counted[column]) * step;
  }
  return values;
}

async function inflated(bytes: Uint8Array<ArrayBuffer>): Promise<ArrayBuffer> {
  const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("deflate"));
  return new Response(stream).arrayBuffer();
}

/** A body as the server's API describes it. */
export async function decode(bytes: ArrayBuffer, tag: string): Promise<Fetched> {
  const size = new DataView(bytes).getUint32(0, true);
  const side = await inflated(new Uint8Array(bytes, 4, size));
  const view = new DataView(side);
  const length = view.getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(side, 4, length))) as Head;
  let offset = 4 + length;
  const rows = (count: number, width: number): Float32Array => {
    const unpacked = unpackRows(view, offset, count, width);
    offset += 2 * unpacked.length;
    return unpacked;
  };
  const values = rows(head.meters, head.columns.length);
  const bands = rows(3 * head.spectra, head.bands);
  const points = Float32Array.from(
    new Int8Array(side, offset, head.meters * head.pairs * 2),
    (value) => value / 127,
  );
  const sideOf = (spectrum: number, which: number): Float32Array =>
    bands.slice((3 * spectrum + which) * head.bands, (3 * spectrum + which + 1) * head.bands);
  const spectra = Array.from({ length: head.spectra }, (_, i) => ({
    left: sideOf(i, 0),
    right: sideOf(i, 1),
    mono: sideOf(i, 2),
    notches: must(head.notches[i]),
  }));
  const channels = head.blocks.length ? await channelsOf(head, bytes, 4 + size) : [];
  return {
    key: head.key,
    tag,
    played: channels.length
      ? { audio: channels.slice(0, head.channels), hand: channels.slice(head.channels) }
      : null,
    readings: { columns: head.columns, count: head.meters, values },
    pictures: { pairs: head.pairs, points, spectra },
    reading: head.reading,
  };
}

/** The sound's channels from where the segment begins to the end of its tail, each with memory of its own. */
async function channelsOf(head: Head, bytes: ArrayBuffer, from: number): Promise<Float32Array[]> {
  const last = head.lead + head.frames + head.tail;
  const channels: Float32Array[] = [];
  for (const size of head.blocks) {
    const block = bytes.slice(from, from + size);
    from += size;
    if (head.form === "float") channels.push(new Float32Array(block));
    else channels.push(...(await decoded(block, head.rate)).map((channel) => channel.slice(head.lead, last)));
  }
  if (head.gain !== 1)
    for (const channel of channels)
      for (let i = 0; i < channel.length; i += 1) channel[i] = must(channel[i]) * head.gain;
  return channels;
}

/** Decoders by sampling rate: they need no sound device, nor a gesture. */
const decoders = new Map<number, OfflineAudioContext>();

async function decoded(block: ArrayBuffer, rate: number): Promise<Float32Array[]> {
  const decoder = decoders.get(rate) ?? new OfflineAudioContext(1, 1, rate);
  decoders.set(rate, decoder);
  const sound = await decoder.decodeAudioData(block);
  return Array.from({ length: sound.numberOfChannels }, (_, channel) => sound.getChannelData(channel));
}
