/** The bars and beats of a session, as the core listed them, and going between them and seconds. */
import { t } from "@/words";
import { must } from "./must";
import type { Schemas } from "./model";
import { units } from "./units";

export type Bar = Schemas["Bar"];

interface Beat {
  at: number;
  bar: number;
  /** From 1. */
  beat: number;
  /** Its place in the piece and its length, in quarter notes. */
  quarter: number;
  quarters: number;
}

/** Instead of parts of a beat: whole bars. */
export const BARS = -1;

/** Beats in the order of time, and the moment at which the piece ends. */
export class Grid {
  readonly beats: Beat[];

  constructor(
    readonly bars: Bar[],
    readonly length: number,
  ) {
    this.beats = bars.flatMap((bar) =>
      bar.times.map((at, i) => ({
        at,
        bar: bar.bar,
        beat: i + 1,
        quarter: bar.beat + (i * 4) / bar.unit,
        quarters: 4 / bar.unit,
      })),
    );
  }

  /** The index of the beat that sounds at a time. */
  indexAt(at: number): number {
    let low = 0;
    let high = this.beats.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (must(this.beats[middle]).at <= at + 1e-9) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  private secondsOf(index: number): number {
    const beat = must(this.beats[index]);
    const next = this.beats[index + 1];
    if (next) return next.at - beat.at;
    const before = this.beats[index - 1];
    return before ? beat.at - before.at : this.length;
  }

  /** 17.3, or 17.3.50 between the beats; or 0:43.6 for who likes that better. */
  text(at: number): string {
    if (units.times === "clock") return clockText(at);
    return this.beatText(at);
  }

  private beatText(at: number): string {
    if (!this.beats.length) return "1.1";
    const index = this.indexAt(at);
    const hundredths = Math.round(((at - must(this.beats[index]).at) / this.secondsOf(index)) * 100);
    const beat = must(this.beats[index]);
    if (hundredths >= 100) {
      const next = this.beats[index + 1];
      return next ? `${next.bar}.${next.beat}` : `${beat.bar + 1}.1`;
    }
    const whole = `${beat.bar}.${beat.beat}`;
    return hundredths > 0 ? `${whole}.${String(hundredths).padStart(2, "0")}` : whole;
  }

  /** The time of 17, 17.3, 17.3.50 or 0:43.6; null if that is not in the piece. */
  parse(text: string): number | null {
    const clock = /^\s*(\d+):(\d{1,2}(?:\.\d+)?)\s*$/.exec(text);
    if (clock) {
      const at = Number(clock[1]) * 60 + Number(clock[2]);
      return at <= this.length ? at : null;
    }
    const match = /^\s*(\d+)(?:\.(\d+))?(?:\.(\d{1,2}))?\s*$/.exec(text);
    if (!match) return null;
    const [bar, beat] = [Number(match[1]), Number(match[2] ?? 1)];
    // The piece ends where the bar after its last one would begin.
    if (bar === this.bars.length + 1 && beat === 1 && !Number(match[3] ?? 0)) return this.length;
    const index = this.beats.findIndex((one) => one.bar === bar && one.beat === beat);
    if (index < 0) return null;
    const share = Number((match[3] ?? "0").padEnd(2, "0")) / 100;
    return must(this.beats[index]).at + share * this.secondsOf(index);
  }

  /** The nearest line of a grid that divides each beat into `parts`; 0 parts leave the time alone, `BARS` is bars. */
  snap(at: number, parts: number): number {
    if (parts === BARS) return this.nearestBar(at);
    if (!parts || !this.beats.length) return at;
    const index = this.indexAt(at);
    const step = this.secondsOf(index) / parts;
    const start = must(this.beats[index]).at;
    return Math.min(start + Math.round((at - start) / step) * step, this.length);
  }

  /** The time `steps` lines of that grid further on. */
  step(at: number, steps: number, parts: number): number {
    if (parts === BARS) {
      const edges = [...this.bars.map((bar) => must(bar.times[0])), this.length];
      const before = edges.filter((edge) => edge < at - 1e-6).length;
      const first = steps > 0 && Math.abs((edges[before] ?? Infinity) - at) > 1e-6 ? before - 1 : before;
      return must(edges[Math.min(Math.max(first + steps, 0), edges.length - 1)]);
    }
    const width = this.secondsOf(this.indexAt(at)) / (parts || 4);
    return Math.min(Math.max(this.snap(at + steps * width, parts), 0), this.length);
  }

  /** The time at which a quarter-note beat of the piece falls. */
  secondsOfBeat(quarter: number): number {
    let index = 0;
    while (index + 1 < this.beats.length && must(this.beats[index + 1]).quarter <= quarter + 1e-9) index += 1;
    const beat = this.beats[index];
    if (!beat) return 0;
    const at = beat.at + ((quarter - beat.quarter) / beat.quarters) * this.secondsOf(index);
    return Math.min(Math.max(at, 0), this.length);
  }

  /** The quarter-note beat of the piece that sounds at a time: the inverse of `secondsOfBeat`. */
  quarterAt(at: number): number {
    const index = this.indexAt(at);
    const beat = this.beats[index];
    if (!beat) return 0;
    const quarter = beat.quarter + ((at - beat.at) / this.secondsOf(index)) * beat.quarters;
    return Math.max(Math.round(quarter * 1e6) / 1e6, 0);
  }

  /** The bars that a stretch of time touches: "bar 17", "bars 17–21". */
  barsText(start: number, end: number): string {
    if (units.times === "clock") return `${clockText(start)}–${clockText(end)}`;
    const [first, last] = [start, Math.max(end - 1e-3, start)].map(
      (at) => this.beats[this.indexAt(at)]?.bar ?? 1,
    );
    return t("format.bars", { bars: first === last ? first : `${first}–${last}` }, first === last ? 1 : 2);
  }

  /** The nearest start of a bar, or the end of the piece. */
  nearestBar(at: number): number {
    const edges = [...this.bars.map((bar) => must(bar.times[0])), this.length];
    return edges.reduce((best, edge) => (Math.abs(edge - at) < Math.abs(best - at) ? edge : best), 0);
  }

  /** The start of the bar `bars` away from the one at a time. */
  barFrom(at: number, bars: number): number {
    const here = this.beats[this.indexAt(at)]?.bar ?? 1;
    const wanted = Math.min(Math.max(here + bars, 1), this.bars.length);
    return this.bars[wanted - 1]?.times[0] ?? 0;
  }
}

/** 0:43.6 */
export function clockText(at: number): string {
  const tenths = Math.floor(at * 10 + 1e-6);
  return `${Math.floor(tenths / 600)}:${String(Math.floor((tenths % 600) / 10)).padStart(2, "0")}.${tenths % 10}`;
}
