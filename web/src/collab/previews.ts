/** What hands hold: sent while they move and every so often while they rest, so that who is gone holds nothing. */
import { reactive } from "vue";
import type { Incoming } from "./channel";

const PREVIEW_EVERY = 1000 / 30;
/** A hand that rests says so as often as this (ms); one that has said nothing for longer than `GONE_AFTER` is gone. */
const REST_EVERY = 2000;
export const GONE_AFTER = 5000;

export interface Preview {
  value: number;
  tab: string;
  /** When it was last sent here (ms). */
  at: number;
}

export function usePreviews(own: {
  send: (control: string, value: number) => void;
  pending: () => (readonly [string, number])[];
}) {
  /** What colleagues hold, by control. */
  const previews = reactive(new Map<string, Preview>());
  const sent = new Map<string, { at: number; later: ReturnType<typeof setTimeout> | undefined }>();

  /** Tell a value as it moves, not too often; a hand that rests is seen where it rests. */
  function tell(control: string, value: number): void {
    const last = sent.get(control) ?? { at: 0, later: undefined };
    clearTimeout(last.later);
    const send = (): void => {
      last.at = performance.now();
      if (own.pending().some(([one]) => one === control)) own.send(control, value);
    };
    const wait = last.at + PREVIEW_EVERY - performance.now();
    if (wait <= 0) send();
    else last.later = setTimeout(send, wait);
    sent.set(control, last);
  }

  /** Where hands have moved to since the last frame: what moves oftener than it is painted is shown once. */
  const queued = new Map<string, Preview>();
  let frame = 0;
  function showQueued(): void {
    frame = 0;
    for (const [control, preview] of queued) if (previews.has(control)) previews.set(control, preview);
    queued.clear();
  }

  function hear(message: Incoming): void {
    if (message.type === "gone") {
      for (const map of [previews, queued])
        for (const [control, preview] of map) if (preview.tab === message.tab) map.delete(control);
    } else if (message.type === "preview") {
      const { control, value, tab } = message;
      if (value === null) {
        queued.delete(control);
        previews.delete(control);
        return;
      }
      const preview = { value, tab, at: performance.now() };
      // Who takes hold is seen at once, and a page that is not seen paints no frames.
      if (!previews.has(control) || document.hidden) previews.set(control, preview);
      else {
        queued.set(control, preview);
        frame ||= requestAnimationFrame(showQueued);
      }
    }
  }

  function look(): void {
    const now = performance.now();
    for (const [control, preview] of previews) if (now - preview.at > GONE_AFTER) previews.delete(control);
    for (const [control, value] of own.pending())
      if (typeof value === "number" && now - (sent.get(control)?.at ?? 0) > REST_EVERY) tell(control, value);
  }
  setInterval(look, 500);

  function forget(): void {
    queued.clear();
    previews.clear();
  }

  return { previews, tell, hear, forget, look };
}
