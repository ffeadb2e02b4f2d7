/**
 * What the line carries, as measured by what comes over it, and in which form sound comes because of that: the
 * heaviest that it carries with room to spare. Lighter at once, heavier only when it has been carried for a while.
 */
import { computed, ref } from "vue";
import { FORMS, isAsGood, wishedForm, type Form } from "@/domain/sound";
import type { Carried } from "./segments";

/** So many of the latest bodies say what the line carries. */
const REMEMBERED = 12;
/** Bodies smaller than this (bytes) say nothing: they are there as soon as they begin. */
const TELLING = 4000;
/** No body counts as having come in less than this (ms): clocks of browsers are coarse. */
const SHORTEST = 2;
/** How many times its need a form must be carried to stay, to be chosen at first, and to be gone up to. */
const [TO_STAY, TO_BEGIN, TO_RISE] = [1.6, 1.9, 2.3];
/** So long (ms) a form stays before a heavier one is tried, and after sound has run out. */
const [CALM, CALM_AFTER_LACK] = [4_000, 30_000];
/** What goes with every segment besides its sound (bit/s): readings, and the headers of the answer. */
const BESIDE = 45_000;
/** How much of its raw size sound has in FLAC, at most. */
const FLAC_SHARE = 0.6;

export function useLine(sound: () => { channels: number; rate: number }) {
  const bodies: Carried[] = [];
  /** What the line carries (bit/s); nothing known at first. */
  const speed = ref<number | null>(null);
  const chosen = ref<Form | null>(null);
  let changed = 0;
  let calm = CALM;

  /** What a form needs (bit/s). */
  function need(form: Form): number {
    const { channels, rate } = sound();
    const raw = 32 * channels * rate;
    if (form === "float") return raw + BESIDE;
    if (form === "flac") return raw * FLAC_SHARE + BESIDE;
    // What is coded around each half second goes with it.
    return Number(form.slice("opus-".length)) * 1000 * Math.ceil(channels / 2) * 1.2 + BESIDE;
  }

  /** Raw samples are for lines on which they are of no account: FLAC is as good, and an edit is there sooner by it. */
  const carries = (form: Form, times: number): boolean =>
    (speed.value ?? 0) >= need(form) * times * (form === "float" ? 2 : 1);
  const heaviest = (times: number): Form => FORMS.find((form) => carries(form, times)) ?? "opus-96";

  /** The line's speed while the latest bodies came, those that came side by side counted as one. */
  function measure(): number | null {
    let [bytes, busy, until] = [0, 0, -Infinity];
    for (const one of [...bodies].sort((a, b) => a.from - b.from)) {
      const to = Math.max(one.to, one.from + SHORTEST);
      busy += Math.max(to - Math.max(one.from, until), 0);
      until = Math.max(until, to);
      bytes += one.bytes;
    }
    return busy ? (8000 * bytes) / busy : null;
  }

  function change(form: Form): void {
    if (form !== chosen.value) changed = performance.now();
    chosen.value = form;
  }

  function note(one: Carried): void {
    if (one.bytes < TELLING) return;
    bodies.push(one);
    if (bodies.length > REMEMBERED) bodies.shift();
    speed.value = measure();
    adapt();
  }

  /** Take a lighter form at once if need be, a heavier one if all has been calm. */
  function adapt(): void {
    const now = chosen.value;
    if (now === null) return;
    if (!carries(now, TO_STAY)) change(lighterOf(now, heaviest(TO_BEGIN)));
    else if (performance.now() - changed > calm) {
      const better = heaviest(TO_RISE);
      if (isAsGood(better, now) && better !== now) {
        calm = CALM;
        change(better);
      }
    }
  }

  const lighterOf = (a: Form, b: Form): Form => (isAsGood(a, b) ? b : a);

  /** Sound ran out: the next lighter form, for a while. */
  function lacked(): void {
    const now = chosen.value;
    if (now === null || performance.now() - changed < CALM / 2) return;
    calm = CALM_AFTER_LACK;
    change(FORMS[Math.min(FORMS.indexOf(now) + 1, FORMS.length - 1)] ?? now);
  }

  /** What the page itself has shown of the line, before any sound has come. */
  function look(): void {
    for (const entry of performance.getEntriesByType?.("resource") ?? []) {
      const { transferSize, responseStart, responseEnd } = entry as PerformanceResourceTiming;
      if (transferSize >= TELLING && responseStart > 0)
        bodies.push({ bytes: transferSize, from: responseStart, to: responseEnd });
    }
    bodies.splice(0, bodies.length - REMEMBERED);
    speed.value = measure();
  }

  /** The form in which to ask for sound now. */
  const form = computed<Form>(() =>
    wishedForm.value === "auto" ? (chosen.value ?? "opus-160") : wishedForm.value,
  );

  /** Choose the first form, from what is known by then. */
  function begin(): void {
    if (chosen.value !== null) return;
    if (speed.value === null) look();
    change(speed.value === null ? "opus-160" : heaviest(TO_BEGIN));
    if (speed.value === null) changed = -Infinity;
  }

  /** Whether even the lightest form is more than the line carries. */
  const tooSlow = computed(() => speed.value !== null && speed.value < need("opus-96"));
  /** Whether several segments may come side by side without one being late for the other. */
  const isWide = (): boolean => speed.value === null || speed.value > 4 * need(form.value);

  return { form, speed, tooSlow, need, note, begin, lacked, isWide };
}
