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
  send: (thing: string, value: number) => void;
  held: () => (readonly [string, number])[];
}) {
  /** What colleagues hold, by thing. */
  const previews = reactive(new Map<string, Preview>());
  const told = new Map<string, { at: number; later: ReturnType<typeof setTimeout> | undefined }>();

  /** Tell a value as it moves, not too often; a hand that rests is seen where it rests. */
  function tell(thing: string, value: number): void {
    const last = told.get(thing) ?? { at: 0, later: undefined };
    clearTimeout(last.later);
    const send = (): void => {
      last.at = performance.now();
      if (own.held().some(([one]) => one === thing)) own.send(thing, value);
    };
    const wait = last.at + PREVIEW_EVERY - performance.now();
    if (wait <= 0) send();
    else last.later = setTimeout(send, wait);
    told.set(thing, last);
  }

  function hear(message: Incoming): void {
    if (message.type === "gone") {
      for (const [thing, preview] of previews) if (preview.tab === message.tab) previews.delete(thing);
    } else if (message.type === "preview") {
      const { thing, value, tab } = message;
      if (value === null) previews.delete(thing);
      else previews.set(thing, { value, tab, at: performance.now() });
    }
  }

  function look(): void {
    const now = performance.now();
    for (const [thing, preview] of previews) if (now - preview.at > GONE_AFTER) previews.delete(thing);
    for (const [thing, value] of own.held())
      if (typeof value === "number" && now - (told.get(thing)?.at ?? 0) > REST_EVERY) tell(thing, value);
  }
  setInterval(look, 500);

  const forget = (): void => previews.clear();

  return { previews, tell, hear, forget, look };
}
