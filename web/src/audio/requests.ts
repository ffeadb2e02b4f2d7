/** What the server is asked for of the sound: what sounds next, and that again whenever it sounds otherwise. */
import { useThrottleFn } from "@vueuse/core";
import { useSession } from "@/session/session";
import { Refusal } from "@/api/http";
import { isLossless, type Form } from "@/domain/sound";
import type { useLine } from "./line";
import type { Upcoming } from "./readyAhead";
import { fetchSegment, type Fetched, type Heard, type There } from "./segments";

/** Requests at a time; where one would make the other late, the next goes only when the answer to the last comes. */
const AT_ONCE = 2;
/** And together with those that were sent before what is to be heard has changed. */
const WITH_EARLIER = 4;
/** How many segments before one the meters' windows reach into. */
const PAST = 6;
/** So long (ms) after a hand has been heard it is heard again. */
const HELD_EVERY = 40;
/** A hand that has not moved for so long (ms) rests. */
const RESTS_AFTER = 250;
/** So long (ms) after one revision has been asked for the next ones wait to be asked for together. */
const JOINED = 200;
/** After so long (ms) a segment that could not be had is asked for again, or when the server has said to. */
const AGAIN_AFTER = 500;
/**
 * What sounds for less than this many answers' time is not asked for again: most of it has sounded when the answer comes,
 * and what comes after it would be as late.
 */
const WORTHWHILE = 1.5;

/** What is missing and sounds within so many answers' time is asked for before anything that has changed. */
const PRESSING = 4;
/** Answers that take longer than this (s) say that there is enough to do: nothing is asked for beside it. */
const QUICK = 0.25;

interface Listening {
  /** The segments that sound next, in order; none where nothing is to sound. */
  upcoming: () => Upcoming[];
  /** The segment before which nothing sounded: the playhead comes from there. */
  first: () => number;
  manner: () => Heard;
  arrived: (index: number, generation: number, fetched: Fetched, manner: Heard) => void;
  /** Segments whose sound is not needed any more. */
  dropped: (indices: number[]) => void;
  /** Why a segment could not be had; nothing once one has come. */
  failed: (index: number, error: Error | null) => void;
}

/** A segment that has come. */
interface Segment extends There {
  generation: number;
  form: Form;
  /** Which source was left out for a hand. */
  hand: string;
}

/** Whether what came in one form may stay where it would come in another now. */
const isGoodEnough = (form: Form, now: Form): boolean => isLossless(form) || !isLossless(now);

interface Request {
  index: number;
  generation: number;
  /** Whether its answer has begun to come. */
  comes: boolean;
  abort: AbortController;
}

export function useSegmentRequests(listening: Listening, line: ReturnType<typeof useLine>) {
  const session = useSession();
  /** Counts changes of what is to be heard, and versions of segments that differ for themselves. */
  let generation = 0;
  let issued = 0;
  const requests = new Map<number, Request>();
  /** When a hand has moved last (ms). */
  let movedAt = -Infinity;
  /** Segments that could not be had and wait to be asked for again. */
  const waiting = new Set<number>();
  /** Of which segments some version is there: while another comes, that one goes on. */
  const present = new Map<number, Segment>();
  /** The keys of what has sounded, or is about to, since the playhead was sent somewhere. */
  const keys = new Map<number, string>();
  /** How long (s) an answer takes, as it has taken of late. */
  let answering = 0.1;

  /** What sounded before a segment, by its keys, the nearest last; empty where it is as it would be now. */
  function pastOf(index: number, manner: Heard): string[] {
    const start = listening.first();
    return Array.from({ length: PAST }, (_, i) => {
      const before = index - PAST + i;
      // While a hand moves the one before is nearly always on its way: what sounded of it will do.
      const isKnown = !requests.has(before) || manner.held.length > 0;
      return before >= start && isKnown ? (keys.get(before) ?? "") : "";
    });
  }

  /** What is there of a segment sounds as it should, in a form that is good enough. */
  function isFresh(one: Segment): boolean {
    return one.generation === generation && isGoodEnough(one.form, line.form.value);
  }

  /** What is asked for next: nearby what is missing, then what has changed, then both farther on. */
  function next(): Upcoming | undefined {
    const upcoming = listening.upcoming();
    const free = upcoming.filter(({ index }) => !requests.has(index) && !waiting.has(index));
    const half = (upcoming.at(-1)?.ends ?? 0) / 2;
    const isMissing = ({ index }: Upcoming): boolean => !present.has(index);
    const isStale = ({ index, begins, ends }: Upcoming): boolean => {
      const one = present.get(index);
      if (!one || isFresh(one) || ends <= answering * WORTHWHILE) return false;
      // While a hand moves, what sounds later sounds otherwise again by then.
      return begins <= 2 * answering || performance.now() - movedAt > RESTS_AFTER;
    };
    // The longer answers take, the farther off what is missing is as pressing as what has changed nearby.
    const near = free.filter(({ begins }) => begins < Math.max(half, PRESSING * answering));
    return near.find(isMissing) ?? near.find(isStale) ?? free.find(isMissing) ?? free.find(isStale);
  }

  /** Whether one more may be asked for: what has changed does not wait for what was on its way before. */
  function mayAsk(): boolean {
    const sent = [...requests.values()];
    if (!line.isWide()) return sent.length < AT_ONCE && sent.every((one) => one.comes);
    const latest = sent.filter((one) => one.generation === generation);
    return latest.length < AT_ONCE && sent.length < (answering < QUICK ? WITH_EARLIER : AT_ONCE);
  }

  function fill(): void {
    while (mayAsk()) {
      const segment = next();
      if (!segment) return;
      void fetchOne(segment.index, Math.max(segment.begins, 0));
    }
  }

  /** What is there of a segment and may stay, if what is to be heard now has it just as it is. */
  function mayStay(index: number, manner: Heard, form: Form): There | null {
    const one = present.get(index);
    return one && !one.hand && !manner.hand && isGoodEnough(one.form, form) ? one : null;
  }

  /** Fetch a segment that sounds in so many seconds. */
  async function fetchOne(index: number, ahead: number): Promise<void> {
    const request: Request = { index, generation, comes: false, abort: new AbortController() };
    const { signal } = request.abort;
    const manner = listening.manner();
    const form = line.form.value;
    const there = mayStay(index, manner, form);
    const past = pastOf(index, manner);
    requests.set(index, request);
    const began = performance.now();
    try {
      // What sounds already follows a hand as soon as can be; what comes after it is measured as well.
      const unmeasured = manner.held.length > 0 && ahead === 0;
      const query = {
        index,
        revision: session.revision,
        heard: manner,
        past,
        ahead,
        form,
        unmeasured,
        there,
      };
      const begun = (): void => {
        request.comes = true;
        fill();
      };
      const fetched = await fetchSegment(session.id, query, signal, { begun, carried: line.note });
      answering += ((performance.now() - began) / 1000 - answering) / 4;
      if (!signal.aborted) take(request, fetched, form, manner);
      release(request);
      if (!signal.aborted) fill();
    } catch (error) {
      release(request);
      if (!signal.aborted) {
        waiting.add(index);
        listening.failed(index, error as Error);
        const asked = error instanceof Refusal ? error.retryAfter : 0;
        setTimeout(
          () => {
            waiting.delete(index);
            fill();
          },
          Math.max(asked, AGAIN_AFTER),
        );
      }
    }
  }

  function release(request: Request): void {
    if (requests.get(request.index) === request) requests.delete(request.index);
  }

  function take(request: Request, fetched: Fetched | null, form: Form, manner: Heard): void {
    const { index } = request;
    const before = present.get(index);
    if (before && (!fetched || !fetched.played)) {
      before.generation = request.generation;
      if (fetched) before.tag = fetched.tag;
    } else if (fetched?.played) {
      const { key, tag } = fetched;
      present.set(index, { key, tag, generation: request.generation, form, hand: manner.hand });
      if (fetched.readings.count) keys.set(index, key);
      // One version gives way to the next softly; lossy ones do so wherever they meet.
      if (before || !isLossless(form)) issued += 1;
    }
    if (fetched) listening.arrived(index, issued, fetched, manner);
    listening.failed(index, null);
  }

  /** Ask again for everything from here on: something that sounds has changed. What is there goes on until then. */
  function renew(): void {
    generation += 1;
    issued += 1;
    fill();
  }

  /** One listens otherwise: what is on its way to a segment that has sound already is called off. */
  function listenOtherwise(): void {
    for (const [index, request] of requests)
      if (present.has(index)) {
        request.abort.abort();
        requests.delete(index);
      }
    renew();
  }

  /** Revisions that come quickly are heard as one. */
  const renewSoon = useThrottleFn(renew, JOINED, true);

  const followHand = useThrottleFn(renew, HELD_EVERY, true);
  /** A hand moves: what is on its way to be heard of it is heard nevertheless. */
  function renewHeld(): void {
    movedAt = performance.now();
    void followHand();
  }

  /** The playhead was sent elsewhere: what sounded before is not what came before. */
  function jump(): void {
    keys.clear();
    fill();
  }

  /** Let go what is not needed any more, and ask for what is. */
  function passBy(isNeeded: (index: number) => boolean): void {
    const dropped = [...present.keys()].filter((index) => !isNeeded(index));
    for (const index of dropped) present.delete(index);
    if (dropped.length) listening.dropped(dropped);
    fill();
  }

  function leave(): void {
    for (const request of requests.values()) request.abort.abort();
    requests.clear();
    waiting.clear();
    present.clear();
    keys.clear();
  }

  return {
    fill,
    renew,
    renewSoon,
    renewHeld,
    listenOtherwise,
    jump,
    passBy,
    leave,
    /** How long (s) an answer takes of late. */
    answering: (): number => answering,
    /** Whether there is any sound of a segment. */
    has: (index: number): boolean => present.has(index),
  };
}
