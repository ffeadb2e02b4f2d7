/**
 * The browser as a loudspeaker: keeps segments about a second ahead of the playhead, hands them to the
 * worklet, and knows which meter readings belong to what sounds now. Playhead, rounds and solo are personal.
 */
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { t } from "@/words";
import { useRafFn } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, toRef, watch } from "vue";
import { channelPlaces, frontsOf } from "@/domain/ends";
import { useSession } from "@/session/session";
import { gainOf, handTaps, roomTaps, type HandReading } from "./heldSource";
import {
  fetchSegment,
  type Fetched,
  type Heard,
  type Pictures,
  type Bypass,
  type Readings,
  type Spectrum,
  type Earlier,
  type Trial,
} from "./segments";
import type { FromWorklet, ToWorklet } from "./worklet";
import workletUrl from "./worklet?worker&url";

const PER_SECOND = 2;
/** Segments to have ready: the one that sounds and those after it. */
const AHEAD = 4;
const AT_ONCE = 2;
const READINGS_KEPT = 400;
/** How many segments before one the meters' windows reach into. */
const PAST = 6;
const TELL_EVERY = 100;
const MOST_SOLOS_TOLD = 40;
/** Meter frames whose points stand in the phase picture together. */
const FRAMES_SHOWN = 14;
/** Meter frames are 50 a second; the eye is content with this, and so is a small machine. */
const SHOWN = { fpsLimit: 30 };

export type { Trial } from "./segments";

export const usePlayer = defineStore("player", () => {
  const session = useSession();
  const playing = ref(false);
  const starved = ref(false);
  /** Where the playhead is (s): what is heard now. */
  const playhead = toRef(session, "at");
  /** The passage to go round, by id. */
  const round = ref<string | null>(null);
  const solo = ref<string[]>([]);
  /** A stretch of its own that is gone round where no passage is (s): while one source is open alone. */
  const span = shallowRef<{ start: number; end: number } | null>(null);
  /** Whether the beats are struck, for oneself. */
  const click = ref(false);
  /** The meter readings of what sounds now, by column; null while nothing does. */
  const now = shallowRef<Record<string, number> | null>(null);
  const trouble = ref("");
  /** What is heard away, for oneself: a treatment of a source, at the same loudness. */
  const bypass = shallowRef<Bypass | null>(null);

  /** Changes that are heard on trial, and the way of listening: for oneself. */
  const trial = shallowRef<Trial | null>(null);
  const monitor = ref("stereo");
  /** An earlier revision that is heard in place of the present, and what makes it as loud (dB): for oneself. */
  const earlier = shallowRef<Earlier | null>(null);
  /** Other moves than the session's, as the server words them: for oneself. */
  const moves = ref<string[]>([]);
  /** The points of the phase picture and the spectrum that belong to what sounds now. */
  const phase = shallowRef<Float32Array | null>(null);
  const spectrum = shallowRef<Spectrum | null>(null);

  let context: AudioContext | undefined;
  let node: AudioWorkletNode | undefined;
  let report: FromWorklet = { position: 0, time: 0, starved: false, ended: false };
  let generation = 0;
  let hand = "";
  /** Whether the hand holds the level too. */
  let free = false;
  /** What the core says of the held source's place; it comes with the first segment that leaves it out. */
  let reading: HandReading | null = null;
  let abort = new AbortController();
  const asked = new Set<number>();
  const readings = new Map<number, Readings & Pictures>();
  /** The keys of what has sounded, or is about to, since the playhead was sent somewhere. */
  const keys = new Map<number, string>();
  let told = 0;

  const rate = computed(() => session.settings?.rate ?? 48000);
  const segmentFrames = computed(() => rate.value / PER_SECOND);
  const total = computed(() => Math.round(session.length * rate.value));
  const count = computed(() => Math.ceil(total.value / segmentFrames.value));
  const roundFrames = computed(() => {
    const passage = session.passages.find((one) => one.id === round.value);
    if (!passage) {
      if (!span.value) return null;
      const [start, stop] = [span.value.start, span.value.end].map((at) => Math.round(at * rate.value));
      return { start: must(start), stop: Math.min(must(stop), total.value) };
    }
    const [start, stop] = [passage.start, passage.end].map((beat) =>
      Math.round(session.grid.secondsOfBeat(beat) * rate.value),
    );
    return { start: must(start), stop: Math.min(must(stop), total.value) };
  });

  /** What one goes round, in seconds. */
  const roundSpan = computed(() =>
    roundFrames.value
      ? { start: roundFrames.value.start / rate.value, end: roundFrames.value.stop / rate.value }
      : null,
  );

  const send = (wish: ToWorklet): void => node?.port.postMessage(wish);

  async function wake(): Promise<void> {
    if (!context) {
      context = new AudioContext({ sampleRate: rate.value, latencyHint: "interactive" });
      await context.audioWorklet.addModule(workletUrl);
      node = new AudioWorkletNode(context, "needle-player", {
        numberOfInputs: 0,
        outputChannelCount: [2],
        processorOptions: { segmentFrames: segmentFrames.value, total: total.value },
      });
      node.port.onmessage = (event: MessageEvent<FromWorklet>) => hear(event.data);
      node.connect(context.destination);
      send({ type: "seek", position: Math.round(playhead.value * rate.value) });
      send({ type: "round", round: roundFrames.value });
      report = { ...report, position: Math.round(playhead.value * rate.value) };
    }
    await context.resume();
  }

  async function play(): Promise<void> {
    try {
      await wake();
    } catch {
      trouble.value = t("player.thisBrowserCannotPlaySound");
      return;
    }
    if (playhead.value >= session.length) seek(0);
    playing.value = true;
    send({ type: "play", playing: true });
    fill();
  }

  function pause(): void {
    playing.value = false;
    now.value = phase.value = spectrum.value = null;
    send({ type: "play", playing: false });
  }

  function toggle(): void {
    if (playing.value) pause();
    else void play();
  }

  /** How often the playhead was sent somewhere. */
  const sought = ref(0);

  function seek(at: number): void {
    sought.value += 1;
    keys.clear();
    playhead.value = Math.min(Math.max(at, 0), session.length);
    const position = Math.round(playhead.value * rate.value);
    report = { ...report, position, time: context?.currentTime ?? 0, ended: false };
    send({ type: "seek", position });
    fill();
    tell(true);
  }

  /** Ask again for everything from here on: something that sounds has changed. */
  function renew(): void {
    generation += 1;
    abort.abort();
    abort = new AbortController();
    asked.clear();
    fill();
  }

  /** Indices of the segments that sound next, following the round. */
  function upcoming(): number[] {
    const found: number[] = [];
    let position = report.position;
    const going = roundFrames.value;
    for (let i = 0; i < AHEAD; i += 1) {
      const index = Math.floor(position / segmentFrames.value);
      if (index >= count.value) break;
      if (!found.includes(index)) found.push(index);
      position = (index + 1) * segmentFrames.value;
      if (going && report.position < going.stop && position >= going.stop) position = going.start;
    }
    return found;
  }

  /** What sounded before a segment, by its keys, the nearest last; empty where it is as it would be now. */
  function pastOf(index: number): string[] {
    const going = roundFrames.value;
    const start = going && report.position < going.stop ? Math.floor(going.start / segmentFrames.value) : 0;
    return Array.from({ length: PAST }, (_, i) => {
      const before = index - PAST + i;
      return before >= start ? (keys.get(before) ?? "") : "";
    });
  }

  let busy = 0;
  function fill(): void {
    if (!node || !session.id) return;
    for (const [place, index] of upcoming().entries()) {
      if (busy >= AT_ONCE) return;
      if (!asked.has(index)) void fetchOne(index, place / PER_SECOND);
    }
  }

  /** Fetch a segment that sounds in so many seconds. */
  async function fetchOne(index: number, ahead: number): Promise<void> {
    const [mine, signal] = [generation, abort.signal];
    const heard: Heard = {
      solo: solo.value,
      hand,
      bypass: bypass.value,
      trial: trial.value,
      monitor: monitor.value,
      free,
      moves: moves.value,
      click: click.value,
      earlier: earlier.value,
    };
    asked.add(index);
    keys.delete(index);
    busy += 1;
    try {
      const fetched = await fetchSegment(
        session.id,
        index,
        session.revision,
        heard,
        pastOf(index),
        ahead,
        signal,
      );
      if (mine === generation) {
        if (fetched.reading && heard.hand && !reading) {
          reading = fetched.reading;
          const held = session.sourceById(heard.hand);
          if (held) moveHand(held, true);
        }
        keep(index, fetched);
      }
      trouble.value = "";
    } catch (error) {
      if (!signal.aborted) {
        asked.delete(index);
        trouble.value = t("player.noSoundFromBarPER", {
          PER_SECOND: session.grid.text(index / PER_SECOND),
          message: (error as Error).message,
        });
        setTimeout(fill, 500);
        return;
      }
    } finally {
      busy -= 1;
    }
    fill();
  }

  function keep(index: number, found: Fetched): void {
    keys.set(index, found.key);
    readings.delete(index);
    readings.set(index, { ...found.readings, ...found.pictures });
    if (readings.size > READINGS_KEPT) readings.delete(must(readings.keys().next().value));
    send({ type: "segment", generation, index, segment: found.played });
  }

  function hear(told: FromWorklet): void {
    if (!playing.value) return;
    report = told;
    starved.value = told.starved;
    const here = Math.floor(told.position / segmentFrames.value);
    const first = Math.floor((roundFrames.value?.start ?? told.position) / segmentFrames.value);
    const needed = (index: number): boolean =>
      (index >= here - 1 && index <= here + AHEAD) || (index >= first && index <= first + AHEAD);
    for (const index of asked) if (!needed(index)) asked.delete(index);
    if (told.ended) {
      pause();
      playhead.value = session.length;
    }
    fill();
  }

  /** The points of the last frames up to one; where a segment has just begun, those of the one before too. */
  function pointsUntil(index: number, frame: number): Float32Array {
    const found = must(readings.get(index));
    const each = found.pairs * 2;
    const here = found.points.subarray(Math.max(frame + 1 - FRAMES_SHOWN, 0) * each, (frame + 1) * each);
    const before = readings.get(index - 1);
    const missing = FRAMES_SHOWN * each - here.length;
    if (!missing || !before) return here;
    const whole = new Float32Array(missing + here.length);
    whole.set(before.points.subarray(before.points.length - missing));
    whole.set(here, missing);
    return whole;
  }

  /** Show what belongs to a moment. */
  function showAt(at: number): void {
    const index = Math.floor(at * PER_SECOND);
    const found = readings.get(index);
    if (!found) {
      now.value = phase.value = spectrum.value = null;
      return;
    }
    const share = at * PER_SECOND - index;
    const frame = Math.min(Math.floor(share * found.count), found.count - 1);
    const width = found.columns.length;
    now.value = Object.fromEntries(
      found.columns.map((name, i) => [name, must(found.values[frame * width + i])]),
    );
    phase.value = pointsUntil(index, frame);
    spectrum.value = must(
      found.spectra[Math.min(Math.floor(share * found.spectra.length), found.spectra.length - 1)],
    );
  }

  useRafFn(() => {
    if (!playing.value || !context) return;
    const late = context.outputLatency || context.baseLatency || 0;
    const passed = starved.value ? 0 : Math.max(context.currentTime - late - report.time, -late);
    let at = report.position / rate.value + Math.min(passed, 0.1);
    const going = roundFrames.value;
    if (going && report.position < going.stop && at * rate.value >= going.stop)
      at -= (going.stop - going.start) / rate.value;
    playhead.value = Math.min(Math.max(at, 0), session.length);
    showAt(playhead.value);
    tell(false);
  }, SHOWN);

  function tell(atOnce: boolean): void {
    const time = performance.now();
    if (!atOnce && time - told < TELL_EVERY) return;
    told = time;
    session.tell({
      type: "presence",
      chosen: chosen.value,
      playhead: playhead.value,
      playing: playing.value,
      passage: round.value,
      monitor: monitor.value,
      solo: solo.value.slice(0, MOST_SOLOS_TOLD),
    });
  }

  /** The source that is worked on. */
  const chosen = ref<string | null>(null);
  watch([chosen, playing, round, monitor, solo], () => tell(true));
  // Who comes in, or comes back, says at once where they are.
  session.onHeard((incoming) => incoming.type === "welcome" && tell(true));

  /** A hand takes hold of a source's place: it is heard through the core's gain table until it lets go. */
  function grasp(source: Source, withLevel = false): void {
    // What is dealt or frozen has no place that a hand could move.
    if (source.frozen_asset || session.document?.deals[source.id]?.on) return;
    if (!node || !playing.value || (hand === source.id && (free || !withLevel))) return;
    hand = source.id;
    free = withLevel;
    reading = null;
    renew();
  }

  function moveHand(source: Source, atOnce = false): void {
    if (!reading || hand !== source.id) return;
    const look = (parameter: Parameter): number => session.valueAt(source, parameter, playhead.value);
    const places = channelPlaces(source.mode, source.channels, look);
    const gain = (parameter: Parameter): number => gainOf(session.gains, look(parameter));
    const level = free ? gain("level") * gain("trim") : 1;
    if (reading.room) {
      const room = reading.room;
      const depths = frontsOf(source.mode, places.length, look);
      const xs = source.mode === "balance" ? [-1, 1] : places;
      const taps = roomTaps(room, reading.rows, xs.map((x, i) => ({ x, y: must(depths[i]) })), level); // prettier-ignore
      return send({ type: "hand", taps, atOnce });
    }
    send({ type: "hand", taps: handTaps(reading, session.gains, places, rate.value, level), atOnce });
  }

  /** The hand lets go. What it changed is heard from the render as soon as that comes back as a revision. */
  function release(changed: boolean): void {
    if (!hand) return;
    hand = "";
    free = false;
    if (!changed) renew();
  }

  /** Solo several, or, if they are all that sounds already, hear everything again. */
  function soloThese(ids: string[]): void {
    const same = ids.length === solo.value.length && ids.every((id) => solo.value.includes(id));
    solo.value = same ? [] : [...ids];
  }

  function soloOnly(id: string, among: boolean): void {
    const has = solo.value.includes(id);
    if (among) solo.value = has ? solo.value.filter((one) => one !== id) : [...solo.value, id];
    else solo.value = has ? [] : [id];
  }

  /** Whether a source, or some part of it, is heard here. */
  const hears = (id: string, muted: boolean): boolean =>
    solo.value.length ? solo.value.some((one) => one === id || one.startsWith(`${id}.`)) : !muted;

  function leave(): void {
    pause();
    abort.abort();
    void context?.close();
    context = node = undefined;
    readings.clear();
    keys.clear();
    asked.clear();
    solo.value = [];
    bypass.value = trial.value = null;
    monitor.value = "stereo";
    round.value = chosen.value = null;
    playhead.value = generation = 0;
    hand = "";
    free = false;
    moves.value = [];
    earlier.value = null;
    span.value = null;
    click.value = false;
    report = { position: 0, time: 0, starved: false, ended: false };
  }

  watch(() => session.revision, () => !hand && renew()); // prettier-ignore
  watch(() => session.refusals, renew);
  watch(solo, renew);
  watch([bypass, trial, monitor, moves, click, earlier], renew);
  watch(total, (frames) => send({ type: "total", total: frames }));
  watch(roundFrames, (going) => {
    send({ type: "round", round: going });
    fill();
  });

  return {
    playing, starved, playhead, sought, earlier, round, roundSpan, span, solo, click, bypass, trial, monitor, moves, now, phase, spectrum, trouble, chosen,
    play, pause, toggle, seek, grasp, moveHand, release, soloOnly, soloThese, hears, leave,
  }; // prettier-ignore
});
