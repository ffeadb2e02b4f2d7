/**
 * The browser as a loudspeaker: keeps segments some seconds ahead of the playhead, hands them to the
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
import { getResponse } from "@/api/http";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import { gainOf, handTaps, roomTaps, type HandReading } from "./heldSource";
import { useLine } from "./line";
import { useSegmentRequests, type Upcoming } from "./requests";
import { PER_SECOND, type Bypass, type Earlier, type Trial } from "./segments";
import { useShownReadings } from "./shownReadings";
import { NoSound, useSoundDevice } from "./soundDevice";
import { useOutputs, type HeardChannel } from "./outputs";
import type { FromWorklet } from "./worklet";

/** Segments to have ready, the one that sounds and those after it: on an even line, and on the most uneven one. */
const [LEAST_AHEAD, MOST_AHEAD] = [4, 20];
/** And on one that carries little more than the sound. */
const NARROW_AHEAD = 12;
/** Sound is scarce where less than this share of what is to be ready is there. */
const SCARCE = 0.7;
/** So many channels' segments of a passage are kept while one goes round it: two minutes in stereo. */
const MOST_KEPT = 480;
/** After so long (ms) without sound getting scarce fewer segments are kept ready. */
const CALM = 30_000;
const TELL_EVERY = 100;
const MOST_SOLOS_TOLD = 40;
/** Meter frames are 50 a second; the eye is content with this, and so is a small machine. */
const SHOWN = { fpsLimit: 30 };

/** The way of listening in which every channel of a layout has an output of its own. */
export const LOUDSPEAKERS = "loudspeakers";
const SIDES: HeardChannel[] = [
  { name: "left", label: "L", output: 0 },
  { name: "right", label: "R", output: 1 },
];

export type { Trial } from "./segments";

const kilobits = (perSecond: number): number => Math.round(perSecond / 1000);

export const usePlayer = defineStore("player", () => {
  const session = useSession();
  const selection = useSelection();
  const library = useLibrary();
  const outputs = useOutputs();
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
  let report: FromWorklet = { position: 0, time: 0, starved: false, ended: false, silent: 0 };
  let hand = "";
  /** Whether the hand holds the level too. */
  let free = false;
  /** What the core says of the held source's place; it comes with the first segment that leaves it out. */
  let reading: HandReading | null = null;
  let told = 0;
  /** Segments to have ready; more while the line is uneven. */
  let ahead = LEAST_AHEAD;
  /** Whether so many have been there since the playhead was sent here, and when they were scarce last. */
  let filled = false;
  let scarce = 0;

  const layout = computed(() =>
    library.library?.layouts.find((one) => one.name === session.settings?.layout),
  );
  /** What is heard: a layout's channels through as many outputs, or two sides. */
  const heard = computed<{ layout: string; channels: HeardChannel[] }>(() =>
    layout.value?.surround && monitor.value === LOUDSPEAKERS
      ? { layout: layout.value.name, channels: layout.value.channels }
      : { layout: "stereo", channels: SIDES },
  );
  const channels = computed(() => heard.value.channels.length);
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

  const device = useSoundDevice({
    rate: () => rate.value,
    width: () => Math.max(layout.value?.channels.length ?? 2, 2),
    segmentFrames: () => segmentFrames.value,
    total: () => total.value,
    rows: () => outputs.rowsOf(heard.value.layout, heard.value.channels),
    hear: (told) => hear(told),
    stopped: (why) => {
      pause();
      device.close();
      requests.leave();
      trouble.value = why;
    },
  });
  const { send } = device;

  async function wake(): Promise<void> {
    if (!(await device.wake())) return;
    const position = Math.round(playhead.value * rate.value);
    send({ type: "seek", position });
    send({ type: "round", round: roundFrames.value });
    report = { ...report, position };
  }

  async function play(): Promise<void> {
    try {
      await wake();
    } catch (error) {
      trouble.value = error instanceof NoSound ? error.message : t("sound.notHere");
      return;
    }
    trouble.value = "";
    if (playhead.value >= session.length) seek(0);
    playing.value = true;
    line.begin();
    send({ type: "play", playing: true });
    requests.fill();
  }

  /** Have one channel's loudspeaker told from the others by a burst of pink noise. */
  async function identify(channel: string): Promise<void> {
    const place = heard.value.channels.findIndex(({ name }) => name === channel);
    // Both sides are what the layout's left and right are.
    const { label } = must(heard.value.channels[place]);
    const name = layout.value?.channels.find((one) => one.label === label)?.name ?? channel;
    const path = `/api/sessions/${session.id}/loudspeakers/${encodeURIComponent(name)}/burst`;
    const file = await (await getResponse(path)).arrayBuffer();
    await wake();
    await device.burst(place, file);
  }

  function pause(): void {
    playing.value = false;
    shown.showNothing();
    send({ type: "play", playing: false });
    device.rest();
  }

  function toggle(): void {
    if (playing.value) pause();
    else void play();
  }

  /** How often the playhead was sent somewhere. */
  const sought = ref(0);

  function seek(at: number): void {
    sought.value += 1;
    filled = false;
    playhead.value = Math.min(Math.max(at, 0), session.length);
    const position = Math.round(playhead.value * rate.value);
    report = { ...report, position, time: device.now(), ended: false };
    send({ type: "seek", position });
    requests.jump();
    tell(true);
  }

  /** The segments that sound next, following the round. */
  function upcoming(): Upcoming[] {
    if (!device.isThere() || !session.id) return [];
    const found: Upcoming[] = [];
    let position = report.position;
    let passed = 0;
    const going = roundFrames.value;
    // Whoever answers late is asked early.
    const late = Math.ceil(2 * PER_SECOND * requests.answering());
    const narrow = line.isWide() ? 0 : NARROW_AHEAD;
    for (let i = 0; i < Math.min(Math.max(ahead, late, narrow), MOST_AHEAD); i += 1) {
      const index = Math.floor(position / segmentFrames.value);
      if (index >= count.value) break;
      const turns = going && position < going.stop ? going.stop : Infinity;
      const end = Math.min((index + 1) * segmentFrames.value, turns);
      const begins = i ? passed : (index * segmentFrames.value - position) / rate.value;
      passed += (end - position) / rate.value;
      if (!found.some((one) => one.index === index)) found.push({ index, begins, ends: passed });
      position = end === turns && going ? going.start : end;
    }
    return found;
  }

  const line = useLine(() => ({ channels: channels.value, rate: rate.value }));

  /** What is to be said of a line that carries too little even so. */
  const slowLine = computed(() =>
    playing.value && line.tooSlow.value
      ? t("sound.slowLine", {
          carries: kilobits(line.speed.value ?? 0),
          needs: kilobits(line.need("opus-96")),
        })
      : "",
  );

  const requests = useSegmentRequests(
    {
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
        if (manner.hand === hand && fetched.reading && manner.hand && !reading) {
          reading = fetched.reading;
          const source = session.sourceById(manner.hand);
          if (source) moveHand(source, true);
        }
        shown.put(index, fetched);
        if (!fetched.played) return;
        const { audio, hand: heldChannels } = fetched.played;
        // The audio thread has them now, and nobody else.
        send(
          { type: "segment", generation, index, segment: fetched.played },
          [...audio, ...heldChannels].map((channel) => channel.buffer),
        );
      },
      dropped: (indices) => send({ type: "drop", indices }),
      failed: (index, error) => {
        trouble.value = error
          ? t("player.noSoundFromBarPER", {
              PER_SECOND: session.grid.text(index / PER_SECOND),
              message: error.message,
            })
          : "";
      },
    },
    line,
  );

  function hear(told: FromWorklet): void {
    if (!playing.value) return;
    report = told;
    starved.value = told.starved;
    const here = Math.floor(told.position / segmentFrames.value);
    const soon = new Set(upcoming().map((one) => one.index));
    look(told.starved, soon);
    // Nobody paints in a tab that is hidden: what passes counts all the same.
    shown.pass(heardNow());
    if (told.ended) {
      pause();
      playhead.value = session.length;
    }
    requests.passBy((index) => index === here - 1 || soon.has(index) || isKeptForRound(index));
  }

  /** Whether a segment is of the passage that one goes round, and that is kept whole. */
  function isKeptForRound(index: number): boolean {
    const going = roundFrames.value;
    if (!going || report.position >= going.stop) return false;
    const first = Math.floor(going.start / segmentFrames.value);
    const last = Math.floor((going.stop - 1) / segmentFrames.value);
    const most = Math.floor(MOST_KEPT / channels.value);
    return index >= first && index <= Math.min(last, first + most);
  }

  /** Keep more ready where sound gets scarce, fewer where it has not for a while. */
  function look(isStarved: boolean, soon: ReadonlySet<number>): void {
    let ready = 0;
    for (const index of soon) {
      if (!requests.has(index)) break;
      ready += 1;
    }
    if (ready === soon.size) filled = true;
    if (!filled) return;
    const time = performance.now();
    if (isStarved) {
      line.lacked();
      filled = false;
    } else if (ready < SCARCE * soon.size) {
      ahead = Math.min(ahead + 2, MOST_AHEAD);
      filled = false;
      scarce = time;
    } else if (ahead > LEAST_AHEAD && time - scarce > CALM) {
      ahead -= 1;
      scarce = time;
    }
  }

  /** Where in the piece (s) is what is heard at this moment: what the device holds back is not heard yet. */
  function heardNow(): number {
    const late = device.late();
    const passed = starved.value ? 0 : Math.max(device.now() - late - report.time, -late);
    let at = report.position / rate.value + Math.min(passed, 0.1);
    const going = roundFrames.value;
    if (going && report.position < going.stop && at * rate.value >= going.stop)
      at -= (going.stop - going.start) / rate.value;
    return Math.min(Math.max(at, 0), session.length);
  }

  useRafFn(() => {
    if (!playing.value || !device.isThere()) return;
    playhead.value = heardNow();
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
    // Both ears can be foretold, a room of loudspeakers is heard when it is rendered.
    if (heard.value.layout !== "stereo") return;
    if (!device.isThere() || !playing.value || (hand === source.id && (free || !withLevel))) return;
    hand = source.id;
    free = withLevel;
    reading = null;
    requests.listenOtherwise();
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
    if (!changed) requests.listenOtherwise();
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
    device.close();
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
  watch([solo, bypass, trial, monitor, moves, click, earlier], requests.listenOtherwise);
  watch(line.form, requests.fill);
  watch(
    [heard, () => outputs.rowsOf(heard.value.layout, heard.value.channels), () => outputs.dimmed],
    device.apply,
  );
  watch(() => outputs.device, () => void device.choose().then(device.apply)); // prettier-ignore
  // The audio thread has as many channels as the layout.
  watch(
    () => layout.value?.channels.length,
    () => {
      if (!device.isThere()) return;
      const wasPlaying = playing.value;
      pause();
      device.close();
      requests.leave();
      if (wasPlaying) void play();
    },
  );
  watch(total, (frames) => send({ type: "total", total: frames }));
  watch(roundFrames, (going) => {
    send({ type: "round", round: going });
    requests.fill();
  });

  return {
    playing, starved, playhead, sought, earlier, round, roundSpan, span, solo, click, bypass, trial, monitor, moves, now: shown.now, phase: shown.phase, spectrum: shown.spectrum, onFrame: shown.onFrame, trouble, form: line.form, speed: line.speed, slowLine, need: line.need, heard, identify, heardNow,
    play, pause, toggle, seek, grasp, moveHand, release, soloOnly, soloThese, hears, leave,
  }; // prettier-ignore
});
