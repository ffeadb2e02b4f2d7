/** Finding events of a part by their time. */
import { must } from "./must";

/** The index of the event that sounds at a time; -1 before the first. */
export function eventAt(events: { t: number }[], at: number): number {
  let [low, high] = [0, events.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (must(events[middle]).t <= at + 1e-9) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

/** The event that is nearest to a time and, among those that are as near, to a place across. */
export function nearestEvent(events: { t: number }[], at: number, within: number): number | null {
  const index = eventAt(events, at);
  const near = [index, index + 1].filter((i) => events[i] && Math.abs(events[i].t - at) <= within);
  near.sort((a, b) => Math.abs(must(events[a]).t - at) - Math.abs(must(events[b]).t - at));
  return near[0] ?? null;
}
