/** What the server is asked for of the sound: what sounds next, and that again whenever it sounds otherwise. */
import { useThrottleFn } from "@vueuse/core";
import { useSession } from "@/session/session";
import { fetchSegment, PER_SECOND, type Fetched, type Heard } from "./segments";

const AT_ONCE = 2;
/** How many segments before one the meters' windows reach into. */
const PAST = 6;
/** So long (ms) after one revision has been asked for the next ones wait to be asked for together. */
const JOINED = 200;
/** After so long (ms) a segment that could not be had is asked for again. */
const AGAIN_AFTER = 500;

interface Listening {
  /** Indices of the segments that sound next; none where nothing is to sound. */
  upcoming: () => number[];
  /** The segment before which nothing sounded: the playhead comes from there. */
  first: () => number;
  manner: () => Heard;
  arrived: (index: number, generation: number, fetched: Fetched, manner: Heard) => void;
  /** Why a segment could not be had; nothing once one has come. */
  failed: (index: number, error: Error | null) => void;
}

export function useSegmentRequests(listening: Listening) {
  const session = useSession();
  let generation = 0;
  /** Segments that were asked for as they sound now, and all that is on its way. */
  const asked = new Set<number>();
  const requests = new Set<{ index: number; abort: AbortController }>();
  /** Segments of which some version has arrived: while another comes, that one goes on. */
  const present = new Set<number>();
  /** The keys of what has sounded, or is about to, since the playhead was sent somewhere. */
  const keys = new Map<number, string>();

  /** What sounded before a segment, by its keys, the nearest last; empty where it is as it would be now. */
  function pastOf(index: number): string[] {
    const start = listening.first();
    return Array.from({ length: PAST }, (_, i) => {
      const before = index - PAST + i;
      return before >= start ? (keys.get(before) ?? "") : "";
    });
  }

  let busy = 0;
  function fill(): void {
    for (const [place, index] of listening.upcoming().entries()) {
      if (busy >= AT_ONCE) return;
      if (!asked.has(index)) void fetchOne(index, place / PER_SECOND);
    }
  }

  /** Fetch a segment that sounds in so many seconds. */
  async function fetchOne(index: number, ahead: number): Promise<void> {
    const mine = generation;
    const request = { index, abort: new AbortController() };
    const { signal } = request.abort;
    const manner = listening.manner();
    requests.add(request);
    asked.add(index);
    keys.delete(index);
    busy += 1;
    try {
      const fetched = await fetchSegment(
        session.id,
        index,
        session.revision,
        manner,
        pastOf(index),
        ahead,
        signal,
      );
      const isNewest = mine === generation;
      if (isNewest) keys.set(index, fetched.key);
      if (isNewest || !present.has(index)) {
        present.add(index);
        listening.arrived(index, mine, fetched, manner);
      }
      listening.failed(index, null);
    } catch (error) {
      if (!signal.aborted && mine === generation) {
        asked.delete(index);
        listening.failed(index, error as Error);
        setTimeout(fill, AGAIN_AFTER);
        return;
      }
    } finally {
      requests.delete(request);
      busy -= 1;
    }
    fill();
  }

  /**
   * Ask again for everything from here on: something that sounds has changed. What is there goes on until the new is;
   * what is on its way to a segment that has no sound yet still comes, for an older sound is better than none.
   */
  function renew(): void {
    generation += 1;
    for (const request of requests) if (present.has(request.index)) request.abort.abort();
    asked.clear();
    fill();
  }
  /** Revisions that come quickly are heard as one. */
  const renewSoon = useThrottleFn(renew, JOINED, true);

  /** The playhead was sent elsewhere: what sounded before is not what came before. */
  function jump(): void {
    keys.clear();
    fill();
  }

  /** What lies behind may be asked for again, and what is not needed any more. */
  function passBy(isNeeded: (index: number) => boolean, oldest: number): void {
    for (const index of asked) if (!isNeeded(index)) asked.delete(index);
    for (const index of present) if (index < oldest) present.delete(index);
    fill();
  }

  function leave(): void {
    for (const request of requests) request.abort.abort();
    asked.clear();
    present.clear();
    keys.clear();
    generation = 0;
  }

  return {
    fill,
    renew,
    renewSoon,
    jump,
    passBy,
    leave,
    isNewest: (of: number): boolean => of === generation,
  };
}
