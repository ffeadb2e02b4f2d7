/** What hands hold: told while they move and every so often while they rest, so that who is gone holds nothing. */
import { reactive } from "vue";
import type { Incoming } from "@/live/channel";

const PREVIEW_EVERY = 1000 / 30;
/** A hand that rests says so as often as this (ms); one that has said nothing for longer than `GONE_AFTER` is gone. */
const REST_EVERY = 2000;
export const GONE_AFTER = 5000;

export interface Preview {
  value: number;
  tab: string;
  /** When it was last told here (ms). */
  at: number;
}

export function useHeld(own: {
  send: (control: string, value: number) => void;
  held: () => (readonly [string, number])[];
}) {
  /** What colleagues hold, by control. */
  const previews = reactive(new Map<string, Preview>());
  const told = new Map<string, { at: number; later: ReturnType<typeof setTimeout> | undefined }>();

  /** Tell a value as it moves, not too often; a hand that rests is seen where it rests. */
  function tell(control: string, value: number): void {
    const last = told.get(control) ?? { at: 0, later: undefined };
    clearTimeout(last.later);
    const send = (): void => {
      last.at = performance.now();
      if (own.held().some(([one]) => one === control)) own.send(control, value);
    };
    const wait = last.at + PREVIEW_EVERY - performance.now();
    if (wait <= 0) send();
    else last.later = setTimeout(send, wait);
    told.set(control, last);
  }

  function hear(message: Incoming): void {
    if (message.type === "gone") {
      for (const [control, preview] of previews) if (preview.tab === message.tab) previews.delete(control);
    } else if (message.type === "preview") {
      const { control, value, tab } = message;
      if (value === null) previews.delete(control);
      else previews.set(control, { value, tab, at: performance.now() });
    }
  }

  function look(): void {
    const now = performance.now();
    for (const [control, preview] of previews) if (now - preview.at > GONE_AFTER) previews.delete(control);
    for (const [control, value] of own.held())
      if (typeof value === "number" && now - (told.get(control)?.at ?? 0) > REST_EVERY) tell(control, value);
  }
  setInterval(look, 500);

  const forget = (): void => previews.clear();

  return { previews, tell, hear, forget, look };
}
