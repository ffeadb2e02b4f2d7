/**
 * MIDI controllers as hands: what a fader or knob sends moves the lane that is worked on, or both sides of a source.
 * Control changes of 7 bits, and of 14 (MSB on 0-31, LSB 32 above it; MIDI 1.0, control change messages).
 */
import type { LaneName, Parameter } from "@/domain/model";
import { t } from "@/words";
import { useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref } from "vue";
import { useChartView } from "@/session/view";
import { FACES } from "@/domain/parameters";
import { useEdits } from "@/session/edits";
import { useHolding } from "@/gestures/holding";
import { useRecorder } from "@/session/recorder";
import { useSession } from "@/session/session";

export interface Knob {
  channel: number;
  number: number;
  /** 7 or 14 bits. */
  bits: number;
}

/** The two controls that a person may have: of the lane that is worked on, and of a stereo source's other side. */
export type Slot = "first" | "second";

/** CC 10 is pan (MIDI 1.0). */
const AT_FIRST: Record<Slot, Knob> = {
  first: { channel: 0, number: 10, bits: 7 },
  second: { channel: 0, number: 11, bits: 7 },
};
const RESTED = 300;

const SIDES: [Parameter, Parameter][] = [
  ["pan_left", "pan_right"],
  ["level_left", "level_right"],
  ["width_left", "width_right"],
];

/** Where on a scale from one end to the other a number of so many bits stands; the middle number is the middle. */
export function shareOf(value: number, bits: number): number {
  const [middle, most] = [2 ** (bits - 1), 2 ** bits - 1];
  return value <= middle ? value / middle / 2 : 0.5 + (value - middle) / (most - middle) / 2;
}

export const useMidi = defineStore("midi", () => {
  const session = useSession();
  const view = useChartView();
  const recorder = useRecorder();
  const edits = useEdits();
  const hand = useHolding();

  const knobs = useLocalStorage<Record<Slot, Knob>>("midi-knobs", AT_FIRST);
  const learning = ref<Slot | null>(null);
  const inputs = ref<string[]>([]);
  const trouble = ref("");
  const supported = "requestMIDIAccess" in navigator;
  const coarse = new Map<string, number>();
  const resting = new Map<string, ReturnType<typeof setTimeout>>();

  /** The lane that a control moves now. */
  function laneOf(slot: Slot): LaneName | null {
    const lane = view.lane;
    if (!lane) return null;
    const pair = SIDES.find((sides) => sides.includes(lane.parameter));
    if (pair) return { ...lane, parameter: pair[slot === "first" ? 0 : 1] };
    return slot === "first" ? lane : null;
  }

  async function connect(): Promise<void> {
    if (!supported) return;
    try {
      const access = await navigator.requestMIDIAccess();
      const listen = (): void => {
        inputs.value = [...access.inputs.values()].map((input) => input.name ?? t("midi.aController"));
        for (const input of access.inputs.values())
          input.onmidimessage = (event) => event.data && receive([...event.data]);
      };
      access.onstatechange = listen;
      listen();
      trouble.value = inputs.value.length ? "" : t("midi.noControllerIsConnectedPlug");
    } catch {
      trouble.value = t("midi.theBrowserDoesNotLet");
    }
  }

  /** A message arrives: its bytes. */
  function receive([status = 0, number = 0, value = 0]: number[]): void {
    if ((status & 0xf0) !== 0xb0) return;
    const channel = status & 0x0f;
    if (learning.value) {
      // The fine half of a control of 14 bits (32-63) belongs to the coarse one below it.
      const coarseOne = number >= 32 && number < 64 ? number - 32 : number;
      knobs.value = { ...knobs.value, [learning.value]: { channel, number: coarseOne, bits: 7 } };
      learning.value = null;
    }
    for (const slot of ["first", "second"] as Slot[]) {
      const knob = knobs.value[slot];
      if (knob.channel !== channel) continue;
      const key = `${channel}/${knob.number}`;
      if (number === knob.number) {
        coarse.set(key, value);
        if (knob.bits === 7) turned(slot, shareOf(value, 7));
      } else if (number === knob.number + 32) {
        // The fine half has come: from now on this is a control of 14 bits.
        if (knob.bits !== 14) knobs.value = { ...knobs.value, [slot]: { ...knob, bits: 14 } };
        turned(slot, shareOf((coarse.get(key) ?? 0) * 128 + value, 14));
      }
    }
  }

  function turned(slot: Slot, share: number): void {
    const lane = laneOf(slot);
    if (!lane || !session.mayEdit) return;
    const source = session.sourceById(lane.owner);
    if (source && hand.holderOf(source)) return;
    const { low, high } = FACES[lane.parameter];
    const value = low + share * (high - low);
    if (recorder.writes(lane)) return recorder.nudge(lane, value);
    const key = session.laneKey(lane.owner, lane.parameter);
    if (source) hand.move(source, { [lane.parameter]: value });
    clearTimeout(resting.get(key));
    resting.set(
      key,
      setTimeout(() => {
        if (source) hand.set(source, { [lane.parameter]: value });
        else edits.setLane(lane, value);
      }, RESTED),
    );
  }

  const words = computed(() =>
    Object.fromEntries(
      Object.entries(knobs.value).map(([slot, { channel, number, bits }]) => [
        slot,
        t("midi.controllerNumberChannelChannelBits", { number: number, channel: channel + 1, bits: bits }),
      ]),
    ),
  );

  return { knobs, learning, inputs, trouble, supported, words, laneOf, connect, receive };
});
