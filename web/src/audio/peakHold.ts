/** Either side's highest peak, held for a while; and where a true peak was over the target's ceiling, until cleared. */
import { defineStore } from "pinia";
import { shallowRef, watch } from "vue";
import { usePlayer } from "./player";
import { useTarget } from "./target";

/** How long a peak is held before it falls (ms). */
const HELD = 1500;

/** True peaks over the ceiling on one side: where (s) the first and the last were, and how high (dBTP) the highest. */
export interface Overs {
  first: number;
  last: number;
  highest: number;
}

const SIDES = ["left", "right"] as const;

export const usePeakHold = defineStore("peak-hold", () => {
  const player = usePlayer();
  const target = useTarget();
  const nothing = () => ({ left: -Infinity, right: -Infinity, since: 0 });
  const peaks = shallowRef(nothing());
  const overs = shallowRef<{ left: Overs | null; right: Overs | null }>({ left: null, right: null });

  watch(
    () => player.now,
    (reading) => {
      if (!reading) {
        peaks.value = nothing();
        return;
      }
      const [l, r] = [reading.peak_left ?? -Infinity, reading.peak_right ?? -Infinity];
      const { left, right, since } = peaks.value;
      const time = performance.now();
      if (time - since > HELD) peaks.value = { left: l, right: r, since: time };
      else if (l > left || r > right)
        peaks.value = { left: Math.max(left, l), right: Math.max(right, r), since: time };
    },
  );

  player.onFrame((frame, at) => {
    const ceiling = target.target?.dbtp ?? 0;
    for (const side of SIDES) {
      const peak = frame[`true_peak_${side}`] ?? -Infinity;
      if (!(peak > ceiling)) continue;
      const before = overs.value[side];
      const highest = Math.max(before?.highest ?? -Infinity, peak);
      overs.value = { ...overs.value, [side]: { first: before?.first ?? at, last: at, highest } };
    }
  });

  /** Forget what was over. */
  function clear(): void {
    overs.value = { left: null, right: null };
  }

  return { peaks, overs, clear };
});
