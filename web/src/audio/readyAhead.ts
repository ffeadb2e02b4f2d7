/** Which segments are to be ready: those that sound next, more of them on an uneven line, and a whole passage's. */
import { PER_SECOND } from "./segments";
import type { Round } from "./voice";

/** Segments to have ready, the one that sounds and those after it: on an even line, and on the most uneven one. */
const [FEWEST_AHEAD, MOST_AHEAD] = [4, 20];
/** And on one that carries little more than the sound. */
const NARROW_AHEAD = 12;
/** So many channels' segments of a passage are kept while one goes round it: two minutes in stereo. */
const MOST_KEPT = 480;
/** Sound begins with so many segments, though answers take longer than they sound. */
const MOST_AT_FIRST = 4;
/** Sound is scarce where less than this share of what is to be ready is there. */
const SCARCE = 0.7;
/** After so long (ms) without sound getting scarce fewer segments are to be ready. */
const CALM = 30_000;

/** A segment that sounds next: in how many seconds it begins and ends. */
export interface Upcoming {
  index: number;
  begins: number;
  ends: number;
}

interface Playback {
  /** The frame that sounds. */
  position: () => number;
  rate: () => number;
  segmentFrames: () => number;
  /** How many segments the piece has. */
  segments: () => number;
  round: () => Round | null;
  channels: () => number;
  /** How long (s) an answer takes of late. */
  answering: () => number;
  /** Whether the line carries much more than the sound. */
  isWide: () => boolean;
  isThere: (index: number) => boolean;
}

export function useReadyAhead(playback: Playback) {
  let ahead = FEWEST_AHEAD;
  /** Whether all that is to be ready has been there since the playhead was sent here. */
  let isFilled = false;
  let scarceAt = 0;

  /** The passage, while the playhead is in it or before it. */
  function activeRound(): Round | null {
    const round = playback.round();
    return round && playback.position() < round.stop ? round : null;
  }

  /** The segments that sound next, following the passage. */
  function upcoming(): Upcoming[] {
    const [rate, frames] = [playback.rate(), playback.segmentFrames()];
    const round = playback.round();
    const result: Upcoming[] = [];
    let position = playback.position();
    let seconds = 0;
    // Whoever answers late is asked early.
    const late = Math.ceil(2 * PER_SECOND * playback.answering());
    const narrow = playback.isWide() ? 0 : NARROW_AHEAD;
    for (let i = 0; i < Math.min(Math.max(ahead, late, narrow), MOST_AHEAD); i += 1) {
      const index = Math.floor(position / frames);
      if (index >= playback.segments()) break;
      const turn = round && position < round.stop ? round.stop : Infinity;
      const end = Math.min((index + 1) * frames, turn);
      const begins = i ? seconds : (index * frames - position) / rate;
      seconds += (end - position) / rate;
      if (!result.some((one) => one.index === index)) result.push({ index, begins, ends: seconds });
      position = end === turn && round ? round.start : end;
    }
    return result;
  }

  /** Whether a segment is to stay: it sounds soon, has just sounded, or is of the passage. */
  function isNeeded(index: number, soon: readonly Upcoming[]): boolean {
    const frames = playback.segmentFrames();
    if (index === Math.floor(playback.position() / frames) - 1) return true;
    if (soon.some((one) => one.index === index)) return true;
    const round = activeRound();
    if (!round) return false;
    const first = Math.floor(round.start / frames);
    const last = Math.floor((round.stop - 1) / frames);
    return index >= first && index <= Math.min(last, first + Math.floor(MOST_KEPT / playback.channels()));
  }

  /** Have more ready where sound gets scarce, fewer where it has not for a while. Whether it has run out just now. */
  function adapt(soon: readonly Upcoming[], isSilent: boolean): boolean {
    const missing = soon.findIndex(({ index }) => !playback.isThere(index));
    const ready = missing < 0 ? soon.length : missing;
    if (ready === soon.length) isFilled = true;
    if (!isFilled) return false;
    const time = performance.now();
    if (isSilent) isFilled = false;
    else if (ready < SCARCE * soon.length) {
      ahead = Math.min(ahead + 2, MOST_AHEAD);
      isFilled = false;
      scarceAt = time;
    } else if (ahead > FEWEST_AHEAD && time - scarceAt > CALM) {
      ahead -= 1;
      scarceAt = time;
    }
    return isSilent;
  }

  /** With how many segments sound begins: enough to last until the next ones come. */
  const atFirst = (): number =>
    Math.min(Math.max(Math.ceil(1.5 * PER_SECOND * playback.answering()), 1), MOST_AT_FIRST);

  /** The playhead was sent elsewhere: that nothing is ready there says nothing of the line. */
  function jump(): void {
    isFilled = false;
  }

  return { upcoming, atFirst, isNeeded, adapt, jump, activeRound };
}
