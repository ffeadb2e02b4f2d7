/** A source in a hand, heard before anything is rendered: the mix without it, and the source through the core's gains. */
import { channelPlaces, frontsOf } from "@/domain/ends";
import type { Parameter, Source } from "@/domain/model";
import { must } from "@/domain/must";
import { useSession } from "@/session/session";
import { gainOf, handTaps, roomTaps, type HandReading } from "./heldSource";
import type { ToWorklet } from "./worklet";

/** What of a source the core's tables tell whatever a hand makes of it. */
const PLACES = new Set(["pan", "pan_left", "pan_right", "span", "front", "front_left", "front_right"]);
const LEVELS = new Set(["level", "trim"]);

interface Listening {
  /** Whether a hand can be heard now: it plays, and through two ears. */
  isPossible: () => boolean;
  rate: () => number;
  /** Where the playhead is (s). */
  at: () => number;
  send: (wish: ToWorklet) => void;
  /** What is left out of the mix is another source now, or none. */
  changed: () => void;
}

export function useHandPreview(listening: Listening) {
  const session = useSession();
  /** The source that is held, by its id; none if it is empty. */
  let source = "";
  /** Whether the hand holds the level too. */
  let withLevel = false;
  /** What the core says of the source's place; it comes with the first segment that leaves the source out. */
  let reading: HandReading | null = null;

  /**
   * A hand takes hold of some of a source's values: if they are of its place or its level it is heard through the
   * core's gain table until it lets go. Whether it is.
   */
  function grasp(one: Source, parameters: readonly string[]): boolean {
    // What is dealt or frozen has no place that a hand could move.
    const isElsewhere = !!one.frozen_asset || !!session.document?.deals[one.id]?.on;
    const isTold = parameters.every((name) => PLACES.has(name) || LEVELS.has(name));
    if (isElsewhere || !isTold || !listening.isPossible()) {
      if (source === one.id) release(false);
      return false;
    }
    const levelToo = parameters.some((name) => LEVELS.has(name));
    if (source === one.id && (withLevel || !levelToo)) return true;
    source = one.id;
    withLevel = levelToo;
    reading = null;
    listening.changed();
    return true;
  }

  function move(one: Source, atOnce = false): void {
    if (!reading || source !== one.id) return;
    const look = (parameter: Parameter): number => session.valueAt(one, parameter, listening.at());
    const places = channelPlaces(one.mode, one.channels, look);
    const gain = (parameter: Parameter): number => gainOf(session.gains, look(parameter));
    const level = withLevel ? gain("level") * gain("trim") : 1;
    if (reading.room) {
      const depths = frontsOf(one.mode, places.length, look);
      const xs = one.mode === "balance" ? [-1, 1] : places;
      const spots = xs.map((x, i) => ({ x, y: must(depths[i]) }));
      listening.send({ type: "hand", taps: roomTaps(reading.room, reading.rows, spots, level), atOnce });
      return;
    }
    const taps = handTaps(reading, session.gains, places, listening.rate(), level);
    listening.send({ type: "hand", taps, atOnce });
  }

  /** The hand lets go. What it changed is heard from the render as soon as that comes back as a revision. */
  function release(changed: boolean): void {
    if (!source) return;
    forget();
    if (!changed) listening.changed();
  }

  /** The first segment without the source has come, and with it what the core says of its place. */
  function learn(id: string, said: HandReading | null): void {
    if (!said || reading || !id || id !== source) return;
    reading = said;
    const one = session.sourceById(id);
    if (one) move(one, true);
  }

  function forget(): void {
    source = "";
    withLevel = false;
  }

  return {
    grasp,
    move,
    release,
    learn,
    forget,
    source: (): string => source,
    withLevel: (): boolean => withLevel,
  };
}
