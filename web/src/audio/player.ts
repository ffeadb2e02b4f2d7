/**
 * The browser as a loudspeaker: keeps segments about a second ahead of the playhead, hands them to the
 * worklet, and knows which meter readings belong to what sounds now. Playhead, rounds and solo are personal.
 */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import type { Parameter, Source } from "@/domain/model";
import { t } from "@/words";
import { useRafFn } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, toRef, watch } from "vue";
import { channelPlaces, frontsOf } from "@/domain/ends";
import { useSession } from "@/session/session";
import { gainOf, handTaps, roomTaps, type HandReading } from "./heldSource";
import { useSegmentRequests } from "./requests";
import { PER_SECOND, type Bypass, type Earlier, type Trial } from "./segments";
import { useShownReadings } from "./shownReadings";
import type { FromWorklet, ToWorklet } from "./worklet";
import workletUrl from "./worklet?worker&url";

/** Segments to have ready: the one that sounds and those after it. */
const AHEAD = 4;
const TELL_EVERY = 100;
const MOST_SOLOS_TOLD = 40;
/** Meter frames are 50 a second; the eye is content with this, and so is a small machine. */
const SHOWN = { fpsLimit: 30 };

export type { Trial } from "./segments";

export const usePlayer = defineStore("player", () => {
  const session = useSession();
  const selection = useSelection();
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
  const shown = useShownReadings();
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
  let context: AudioContext | undefined;
  let node: AudioWorkletNode | undefined;
  let report: FromWorklet = { position: 0, time: 0, starved: false, ended: false, silent: 0 };
  let hand = "";
  /** Whether the hand holds the level too. */
  let free = false;
  /** What the core says of the held source's place; it comes with the first segment that leaves it out. */
  let reading: HandReading | null = null;
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
      const fresh = new AudioContext({ sampleRate: rate.value, latencyHint: "interactive" });
      try {
        await fresh.audioWorklet.addModule(workletUrl);
      } catch (error) {
        // Nothing of it is kept: the next press begins anew.
        void fresh.close();
        throw error;
      }
      context = fresh;
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
    requests.fill();
  }

  function pause(): void {
    playing.value = false;
    shown.showNothing();
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
    playhead.value = Math.min(Math.max(at, 0), session.length);
    const position = Math.round(playhead.value * rate.value);
    report = { ...report, position, time: context?.currentTime ?? 0, ended: false };
    send({ type: "seek", position });
    requests.jump();
    tell(true);
  }

  /** Indices of the segments that sound next, following the round. */
  function upcoming(): number[] {
    if (!node || !session.id) return [];
    const indices: number[] = [];
    let position = report.position;
    const going = roundFrames.value;
    for (let i = 0; i < AHEAD; i += 1) {
      const index = Math.floor(position / segmentFrames.value);
      if (index >= count.value) break;
      if (!indices.includes(index)) indices.push(index);
      position = (index + 1) * segmentFrames.value;
      if (going && report.position < going.stop && position >= going.stop) position = going.start;
    }
    return indices;
  }

  const requests = useSegmentRequests({
    upcoming,
    first: () => {
      const going = roundFrames.value;
      return going && report.position < going.stop ? Math.floor(going.start / segmentFrames.value) : 0;
    },
    manner: () => ({
      solo: solo.value,
      hand,
      bypass: bypass.value,
      trial: trial.value,
      monitor: monitor.value,
      free,
      moves: moves.value,
      click: click.value,
      earlier: earlier.value,
    }),
    arrived: (index, generation, fetched, manner) => {
      if (requests.isNewest(generation) && fetched.reading && manner.hand && !reading) {
        reading = fetched.reading;
        const source = session.sourceById(manner.hand);
        if (source) moveHand(source, true);
      }
      shown.put(index, fetched);
      send({ type: "segment", generation, index, segment: fetched.played });
    },
    failed: (index, error) => {
      trouble.value = error
        ? t("player.noSoundFromBarPER", {
            PER_SECOND: session.grid.text(index / PER_SECOND),
            message: error.message,
          })
        : "";
    },
  });

  function hear(told: FromWorklet): void {
    if (!playing.value) return;
    report = told;
    starved.value = told.starved;
    const here = Math.floor(told.position / segmentFrames.value);
    const first = Math.floor((roundFrames.value?.start ?? told.position) / segmentFrames.value);
    const needed = (index: number): boolean =>
      (index >= here - 1 && index <= here + AHEAD) || (index >= first && index <= first + AHEAD);
    if (told.ended) {
      pause();
      playhead.value = session.length;
    }
    requests.passBy(needed, Math.min(here, first) - 1);
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
    shown.showAt(playhead.value);
    tell(false);
  }, SHOWN);

  function tell(atOnce: boolean): void {
    const time = performance.now();
    if (!atOnce && time - told < TELL_EVERY) return;
    told = time;
    session.tell({
      type: "presence",
      chosen: selection.chosen,
      playhead: playhead.value,
      playing: playing.value,
      passage: round.value,
      monitor: monitor.value,
      solo: solo.value.slice(0, MOST_SOLOS_TOLD),
    });
  }

  watch([() => selection.chosen, playing, round, monitor, solo], () => tell(true));
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
    requests.renew();
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
    if (!changed) requests.renew();
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
    requests.leave();
    void context?.close();
    context = node = undefined;
    shown.clear();
    solo.value = [];
    bypass.value = trial.value = null;
    monitor.value = "stereo";
    round.value = null;
    selection.choose(null);
    playhead.value = 0;
    hand = "";
    free = false;
    moves.value = [];
    earlier.value = null;
    span.value = null;
    click.value = false;
    report = { position: 0, time: 0, starved: false, ended: false, silent: 0 };
  }

  watch(() => session.revision, () => !hand && void requests.renewSoon()); // prettier-ignore
  watch(() => session.refusals, requests.renew);
  watch(solo, requests.renew);
  watch([bypass, trial, monitor, moves, click, earlier], requests.renew);
  watch(total, (frames) => send({ type: "total", total: frames }));
  watch(roundFrames, (going) => {
    send({ type: "round", round: going });
    requests.fill();
  });

  return {
    playing, starved, playhead, sought, earlier, round, roundSpan, span, solo, click, bypass, trial, monitor, moves, now: shown.now, phase: shown.phase, spectrum: shown.spectrum, trouble,
    play, pause, toggle, seek, grasp, moveHand, release, soloOnly, soloThese, hears, leave,
  }; // prettier-ignore
});
