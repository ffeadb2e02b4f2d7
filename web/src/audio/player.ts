/**
 * The browser as a loudspeaker: keeps segments some seconds ahead of the playhead, hands them to the
 * worklet, and knows which meter readings belong to what sounds now. Playhead, rounds and solo are personal.
 */
import { useSelection } from "@/session/selection";
import { must } from "@/domain/must";
import { hearsHands, speedText } from "@/domain/sound";
import { t } from "@/words";
import { useRafFn } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, toRef, watch } from "vue";
import { getResponse } from "@/api/http";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import { useHandPreview } from "./handPreview";
import { gainOf } from "./heldSource";
import { useLine } from "./line";
import { useReadyAhead } from "./readyAhead";
import { useSegmentRequests } from "./requests";
import { PER_SECOND, type Bypass, type Earlier, type Trial } from "./segments";
import { useShownReadings } from "./shownReadings";
import { NoSound, useSoundDevice } from "./soundDevice";
import { useOutputs, type MonitoredChannel } from "./outputs";
import type { FromWorklet } from "./worklet";

/** Nothing shorter is gone round (s). */
const SHORTEST_LOOP = 0.1;
const TELL_EVERY = 100;
const MOST_SOLOS_TOLD = 40;
/** So many held controls are heard at once. */
const MOST_HELD = 60;
/** Meter frames are 50 a second; the eye is content with this, and so is a small machine. */
const SHOWN = { fpsLimit: 30 };

/** The way of listening in which every channel of a layout has an output of its own. */
export const LOUDSPEAKERS = "loudspeakers";
const SIDES: MonitoredChannel[] = [
  { name: "left", label: "L", output: 0 },
  { name: "right", label: "R", output: 1 },
];

export type { Trial } from "./segments";

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
  /** Or bars of one's own to go round (s), where no passage is. */
  const loop = shallowRef<{ start: number; end: number } | null>(null);
  const solo = ref<string[]>([]);
  /** A stretch of its own that is gone round where no passage is (s): while one source is open alone. */
  const span = shallowRef<{ start: number; end: number } | null>(null);
  /** Whether a hand is drawing what one goes round. */
  const isLoopHeld = ref(false);
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
  /** What hands hold, as the server words it: values by control. */
  const held = computed(() =>
    [...session.heardAsHeld(hearsHands.value)]
      // What a colleague's page says may be anything.
      .filter(([control, value]) => /^[\w:/-]+\.[a-z_]+$/.test(control) && Math.abs(value) < 1e6)
      .slice(0, MOST_HELD)
      .map(([control, value]) => `${control}=${Number(value.toFixed(6))}`)
      .join(","),
  );
  let report: FromWorklet = { position: 0, time: 0, starved: false, ended: false, silent: 0 };
  let presenceTold = 0;

  const layout = computed(() =>
    library.library?.layouts.find((one) => one.name === session.settings?.layout),
  );
  /** What is monitored: a layout's channels through as many outputs, or two sides. */
  const monitored = computed<{ layout: string; channels: MonitoredChannel[] }>(() =>
    layout.value?.surround && monitor.value === LOUDSPEAKERS
      ? { layout: layout.value.name, channels: layout.value.channels }
      : { layout: "stereo", channels: SIDES },
  );
  /** As many channels as the audio thread has: the layout's, two as long as it is not known. */
  const width = computed(() => Math.max(layout.value?.channels.length ?? 2, 2));
  const channels = computed(() => monitored.value.channels.length);
  const rate = computed(() => session.settings?.rate ?? 48000);
  const segmentFrames = computed(() => rate.value / PER_SECOND);
  const total = computed(() => Math.round(session.length * rate.value));
  const count = computed(() => Math.ceil(total.value / segmentFrames.value));
  const roundFrames = computed(() => {
    const passage = session.passages.find((one) => one.id === round.value);
    if (!passage) {
      const own = span.value ?? loop.value;
      if (!own) return null;
      const [start, stop] = [own.start, own.end].map((at) => Math.round(at * rate.value));
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
    width: () => width.value,
    segmentFrames: () => segmentFrames.value,
    total: () => total.value,
    rows: () => outputs.rowsOf(monitored.value.layout, monitored.value.channels),
    gainOf: (level) => gainOf(session.gains, level),
    hear: (latest) => hear(latest),
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
    comeRound();
    playing.value = true;
    line.begin();
    send({ type: "play", playing: true });
    requests.fill();
  }

  /** Into what one goes round, if the playhead stands outside. */
  function comeRound(): void {
    const going = roundSpan.value;
    if (going && (playhead.value < going.start || playhead.value >= going.end)) seek(going.start);
  }

  /** Go round bars of one's own, from a time to another (s); nowhere, if they are too near. */
  function goRound(start: number, end: number): void {
    const [low, high] = [Math.min(start, end), Math.max(start, end)].map((at) =>
      Math.min(Math.max(at, 0), session.length),
    ) as [number, number];
    if (high - low < SHORTEST_LOOP) return;
    round.value = null;
    loop.value = { start: low, end: high };
  }

  /** Go round a passage, or, for none, go on to the end. */
  function goRoundPassage(id: string | null): void {
    loop.value = null;
    round.value = id;
  }

  /** Have one channel's loudspeaker told from the others by a burst of pink noise. */
  async function identify(channel: string): Promise<void> {
    const place = monitored.value.channels.findIndex(({ name }) => name === channel);
    // Both sides are what the layout's left and right are.
    const { label } = must(monitored.value.channels[place]);
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
    readyAhead.jump();
    playhead.value = Math.min(Math.max(at, 0), session.length);
    const position = Math.round(playhead.value * rate.value);
    report = { ...report, position, time: device.now(), ended: false };
    send({ type: "seek", position });
    requests.jump();
    tell(true);
  }

  const line = useLine(() => ({ channels: channels.value, rate: rate.value }));

  /** What is to be said of a line that carries too little even so. */
  const slowLine = computed(() =>
    playing.value && line.tooSlow.value
      ? t("sound.slowLine", {
          carries: speedText(line.speed.value ?? 0),
          needs: speedText(line.need("opus-96")),
        })
      : "",
  );

  const requests = useSegmentRequests(
    {
      upcoming: () => (device.isThere() && session.id ? readyAhead.upcoming() : []),
      first: () => Math.floor((readyAhead.activeRound()?.start ?? 0) / segmentFrames.value),
      manner: () => ({
        solo: solo.value,
        hand: handPreview.source(),
        bypass: bypass.value,
        trial: trial.value,
        monitor: monitor.value,
        free: handPreview.withLevel(),
        moves: moves.value,
        held: held.value ? held.value.split(",") : [],
        click: click.value,
        earlier: earlier.value,
      }),
      arrived: (index, generation, fetched, manner) => {
        handPreview.learn(manner.hand, fetched.reading);
        shown.put(index, fetched);
        if (!fetched.played) return;
        const { audio, hand: heldChannels } = fetched.played;
        send({ type: "ready", segments: readyAhead.atFirst() });
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

  function hear(latest: FromWorklet): void {
    if (!playing.value) return;
    report = latest;
    starved.value = latest.starved;
    const soon = readyAhead.upcoming();
    if (readyAhead.adapt(soon, latest.starved)) line.lacked();
    // Nobody paints in a tab that is hidden: what passes counts all the same.
    shown.pass(heardNow());
    if (latest.ended) {
      pause();
      playhead.value = session.length;
    }
    requests.passBy((index) => readyAhead.isNeeded(index, soon));
  }

  const readyAhead = useReadyAhead({
    position: () => report.position,
    rate: () => rate.value,
    segmentFrames: () => segmentFrames.value,
    segments: () => count.value,
    round: () => roundFrames.value,
    channels: () => channels.value,
    answering: requests.answering,
    isWide: line.isWide,
    isThere: requests.has,
  });

  const handPreview = useHandPreview({
    // Both ears can be foretold, a room of loudspeakers is heard when it is rendered.
    isPossible: () => device.isThere() && playing.value && monitored.value.layout === "stereo",
    rate: () => rate.value,
    at: () => playhead.value,
    send,
    changed: requests.listenOtherwise,
  });

  /** Where in the piece (s) is what is heard at this moment: what the device holds back is not heard yet. */
  function heardNow(): number {
    if (!playing.value || !device.isThere()) return playhead.value;
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
    if (!atOnce && time - presenceTold < TELL_EVERY) return;
    presenceTold = time;
    session.tell({
      type: "presence",
      chosen: selection.chosen,
      playhead: playhead.value,
      playing: playing.value,
      passage: round.value,
      loop: loop.value && [loop.value.start, loop.value.end],
      monitor: monitor.value,
      solo: solo.value.slice(0, MOST_SOLOS_TOLD),
    });
  }

  watch([() => selection.chosen, playing, round, loop, monitor, solo], () => tell(true));
  // Who comes in, or comes back, says at once where they are.
  session.onHeard((incoming) => incoming.type === "welcome" && tell(true));

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
    goRoundPassage(null);
    selection.choose(null);
    playhead.value = 0;
    handPreview.forget();
    moves.value = [];
    earlier.value = null;
    span.value = null;
    click.value = false;
    report = { position: 0, time: 0, starved: false, ended: false, silent: 0 };
  }

  watch(() => session.revision, () => !handPreview.source() && void requests.renewSoon()); // prettier-ignore
  watch(held, () => requests.renewHeld());
  watch(() => session.refusals, requests.renew);
  watch([solo, bypass, trial, monitor, moves, click, earlier], requests.listenOtherwise);
  watch(line.form, requests.fill);
  watch(
    [monitored, () => outputs.rowsOf(monitored.value.layout, monitored.value.channels), () => outputs.dimmed],
    device.apply,
  );
  watch(() => outputs.device, () => void device.choose().then(device.apply)); // prettier-ignore
  // The audio thread has as many channels as the layout.
  watch(width, () => {
    if (!device.isThere()) return;
    const wasPlaying = playing.value;
    pause();
    device.close();
    requests.leave();
    if (wasPlaying) void play();
  });
  watch(total, (frames) => send({ type: "total", total: frames }));
  // What one has chosen to go round is what one hears next. A hand that drags its ends has not let go yet.
  watch([round, loop], () => !isLoopHeld.value && comeRound(), { flush: "sync" });
  watch(isLoopHeld, (isHeld) => !isHeld && comeRound());
  watch(roundFrames, (going) => {
    send({ type: "round", round: going });
    requests.fill();
  });

  return {
    playing, starved, playhead, sought, earlier, round, loop, isLoopHeld, roundSpan, span, solo, click, bypass, trial, monitor, moves, now: shown.now, phase: shown.phase, spectrum: shown.spectrum, onFrame: shown.onFrame, trouble, form: line.form, speed: line.speed, slowLine, need: line.need, monitored, identify, heardNow,
    play, pause, toggle, seek, goRound, goRoundPassage, grasp: handPreview.grasp, moveHand: handPreview.move, release: handPreview.release, soloOnly, soloThese, hears, leave,
  }; // prettier-ignore
});
