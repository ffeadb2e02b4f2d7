/**
 * Recording moves: while it plays, what a hand does with an armed parameter is written down instead of made at once.
 * What it becomes (touch, latch, write, trim) is worked out by the server when the pass ends.
 */
import { must } from "@/domain/must";
import type { LaneName, Source } from "@/domain/model";
import { t } from "@/words";
import { useEventListener, useLocalStorage, useRafFn } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, reactive, ref, shallowReactive, watch } from "vue";
import { clamp } from "@/domain/format";
import { FACES } from "@/domain/parameters";
import { kindAndId } from "@/domain/owners";
import { usePlayer } from "@/audio/player";
import { useSession } from "./session";
import { useTakes } from "./takes";

export type Mode = "read" | "touch" | "latch" | "write" | "trim";
export const MODES: { name: Mode; title: string; tip: string }[] = [
  { name: "read", title: t("recorder.read"), tip: t("recorder.notRecordingMovingItMakes") },
  { name: "touch", title: t("recorder.touch"), tip: t("recorder.writesWhileYouHoldIt") },
  { name: "latch", title: t("recorder.latch"), tip: t("recorder.continuesWithYourLastValue") },
  { name: "write", title: t("recorder.write"), tip: t("recorder.overwritesFromTheStartOf") },
  { name: "trim", title: t("recorder.trim"), tip: t("recorder.addsYourMovementToThe") },
];

/** A playhead that steps back by less (s) has only waited for sound; by more, it has been put elsewhere. */
const JUMP = 0.3;

/** A key or a controller has no letting go: it is held until it has rested so long (ms). */
const RESTED = 400;

/** What a hand did is handled no later than this (ms); what is older was not what is handled. */
const MOST_LATE = 60;

interface Hold {
  samples: [number, number][];
  end: number;
  open: boolean;
}

interface Control extends LaneName {
  mode: Mode;
  holds: Hold[];
  /** The value as it shows and sounds now; null where the line is followed. */
  shown: number | null;
  /** In trim: where the hand took hold. */
  grasped: number;
  /** Gliding back: from which value, since when. */
  gliding: { from: number; since: number } | null;
  rest?: ReturnType<typeof setTimeout>;
}

export const useRecorder = defineStore("recorder", () => {
  const session = useSession();
  const player = usePlayer();
  const takes = useTakes();

  const modes = reactive(new Map<string, Mode>());
  const glide = useLocalStorage("glide-back", 0.25);
  const start = ref<number | null>(null);
  const controls = shallowReactive(new Map<string, Control>());
  /** Counts what was recorded, so that a picture of it can be drawn anew. */
  const count = ref(0);
  let last = 0;

  const keyOf = ({ owner: source, parameter }: LaneName): string => session.laneKey(source, parameter);
  const modeOf = (lane: LaneName): Mode => modes.get(keyOf(lane)) ?? "read";
  const armed = computed(() => [...modes].filter(([, mode]) => mode !== "read").map(([key]) => key));
  /** Whether moving a parameter now is written down. */
  const writes = (lane: LaneName): boolean =>
    player.playing && session.mayEdit && modeOf(lane) !== "read" && start.value !== null;

  function arm(lane: LaneName, mode: Mode): void {
    if (mode === "read") modes.delete(keyOf(lane));
    else modes.set(keyOf(lane), mode);
  }

  const sourceOf = (lane: LaneName): Source | undefined =>
    kindAndId(lane.owner)[0] === "source" ? session.sourceById(lane.owner) : undefined;

  /** A value shows and sounds at once. */
  function sound(control: Control, value: number | null): void {
    control.shown = value;
    const name = `${control.owner}.${control.parameter}`;
    const source = sourceOf(control);
    if (value === null) {
      session.letGo(name);
      if (
        source &&
        ![...controls.values()].some(({ owner, shown }) => owner === control.owner && shown !== null)
      )
        player.release(false);
      return;
    }
    const isHeard = !!source && player.grasp(source, [control.parameter]);
    session.hold(name, value, !isHeard);
    if (source && isHeard) player.moveHand(source);
  }

  function controlOf(lane: LaneName): Control {
    const known = controls.get(keyOf(lane));
    if (known) return known;
    const made: Control = {
      ...lane, mode: modeOf(lane), holds: [], shown: null, grasped: 0, gliding: null,
    }; // prettier-ignore
    controls.set(keyOf(lane), made);
    return made;
  }

  const limited = (lane: LaneName, value: number): number =>
    clamp(value, FACES[lane.parameter].low, FACES[lane.parameter].high);
  /** What the line itself says at a time, whatever is held. */
  const lineAt = (lane: LaneName, at: number): number => session.lineValueAt(lane, at);

  /** When (ms) a hand has last done something: what it did is handled with the next frame that is painted. */
  let acted = -Infinity;
  useEventListener(
    globalThis.window,
    ["pointerdown", "pointermove", "pointerup", "keydown"],
    (event: Event) => (acted = event.timeStamp),
    { capture: true, passive: true },
  );

  /** Where in the piece (s) was heard what a hand has just answered. */
  function answered(): number {
    const late = performance.now() - acted;
    return player.heardNow() - (late >= 0 && late < MOST_LATE ? late / 1000 : 0);
  }

  /** The hand holds an armed parameter at a value. */
  function touch(lane: LaneName, value: number): void {
    const control = controlOf(lane);
    clearTimeout(control.rest);
    let hold = control.holds.at(-1);
    // A playhead that waited for sound may stand a little earlier than where the hand let go.
    const at = Math.max(answered(), start.value ?? 0, hold?.open ? 0 : (hold?.end ?? 0));
    if (!hold?.open) {
      control.grasped = control.mode === "trim" ? lineAt(lane, at) : value;
      hold = { samples: [], end: at, open: true };
      control.holds.push(hold);
    }
    // The playhead is shown less often than it is heard, and late where the page is busy: that is no jump.
    last = Math.max(last, at);
    control.gliding = null;
    const written = control.mode === "trim" ? value - control.grasped : value;
    const before = hold.samples.at(-1);
    if (before && at <= before[0]) before[1] = written;
    else hold.samples.push([at, written]);
    hold.end = Math.max(at, must(hold.samples.at(-1))[0]);
    sound(control, control.mode === "trim" ? limited(lane, lineAt(lane, at) + written) : value);
    count.value += 1;
  }

  /** The hand lets go. */
  function release(lane: LaneName): void {
    const control = controls.get(keyOf(lane));
    const hold = control?.holds.at(-1);
    if (!control || !hold?.open) return;
    hold.open = false;
    hold.end = Math.max(answered(), hold.end);
    if (control.mode === "touch" || control.mode === "trim")
      control.gliding = { from: control.shown ?? 0, since: hold.end };
    count.value += 1;
  }

  /** A value that comes without a hand being held down: from a key, or a controller. */
  function nudge(lane: LaneName, value: number): void {
    touch(lane, value);
    const control = controlOf(lane);
    control.rest = setTimeout(() => release(lane), RESTED);
  }

  function begin(at: number): void {
    start.value = last = at;
    for (const [key, mode] of modes) {
      if (mode !== "write") continue;
      const lane = session.laneOf(key);
      sound(controlOf(lane), lineAt(lane, at));
    }
  }

  /** The pass ends: send what was done in it. Hands that are still held go on if the round does. */
  function finish(end: number, again: number | null): void {
    const from = start.value;
    const done = [...controls.values()];
    const held = again === null ? [] : done.filter((one) => one.holds.at(-1)?.open && one.shown !== null);
    start.value = null;
    controls.clear();
    const byMode = new Map<Mode, Control[]>();
    for (const control of done) {
      clearTimeout(control.rest);
      if (control.holds.length || control.mode === "write")
        byMode.set(control.mode, [...(byMode.get(control.mode) ?? []), control]);
    }
    if (from !== null && end > from)
      for (const [mode, some] of byMode)
        void takes.add({
          start: from,
          end,
          mode: mode as "touch",
          glide: glide.value,
          controls: some.map(({ owner, parameter, holds }) => ({
            owner,
            parameter,
            holds: within(holds, from, end),
          })),
        });
    for (const control of done) if (!held.includes(control)) sound(control, null);
    if (again === null) return;
    begin(again);
    for (const control of held) {
      const value =
        control.mode === "trim" ? must(control.shown) : must(must(control.holds.at(-1)).samples.at(-1))[1];
      touch(control, value);
    }
  }

  /** Where a hand that has let go is on its way back, as it will be written. */
  function glided(
    control: Control,
    { from, since }: { from: number; since: number },
    at: number,
    share: number,
  ) {
    if (control.mode === "trim")
      return limited(control, lineAt(control, at) + (from - lineAt(control, since)) * (1 - share));
    return from + (lineAt(control, since + glide.value) - from) * share;
  }

  const within = (holds: Hold[], from: number, end: number): { samples: [number, number][]; end: number }[] =>
    holds
      .map((hold) => ({
        samples: hold.samples.filter(([at]) => at >= from && at <= end),
        end: clamp(hold.open ? end : hold.end, from, end),
      }))
      .filter((hold) => hold.samples.length);

  // The playhead tells when a pass begins and ends: a jump is the end of one.
  watch(
    () => player.playing,
    (playing) => {
      if (playing) begin(player.playhead);
      else if (start.value !== null) finish(Math.max(last, start.value), null);
    },
    // At once: a pass that ends because one leaves the session still belongs to it.
    { flush: "sync" },
  );
  let sought = player.sought;
  watch(
    () => player.playhead,
    (at) => {
      if (!player.playing || start.value === null) {
        sought = player.sought;
        return;
      }
      // Ahead it jumps only where it is sent: a page that paints seldom makes long steps.
      const jumped = at < last - JUMP || player.sought !== sought;
      sought = player.sought;
      const going = player.roundSpan;
      const round = going && at < last && last > going.end - 0.25 && at < going.start + 0.25 ? going : null;
      if (jumped) finish(round?.end ?? last, round?.start ?? at);
      last = at;
    },
  );

  // What glides back or is trimmed moves by itself as the playhead does.
  useRafFn(() => {
    if (start.value === null) return;
    const at = player.playhead;
    for (const control of controls.values()) {
      if (control.mode === "trim" && control.holds.at(-1)?.open)
        sound(
          control,
          limited(control, lineAt(control, at) + must(must(control.holds.at(-1)).samples.at(-1))[1]),
        );
      if (!control.gliding) continue;
      const share = glide.value ? (at - control.gliding.since) / glide.value : 1;
      if (share >= 1) {
        control.gliding = null;
        sound(control, null);
      } else sound(control, glided(control, control.gliding, at, Math.max(share, 0)));
    }
  });

  return { modes, glide, start, controls, count, armed, modeOf, arm, writes, touch, release, nudge };
});
