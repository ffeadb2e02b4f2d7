/** Either side's highest peak, held for a while; and whether a true peak was over the target's ceiling since play began. */
import { defineStore } from "pinia";
import { shallowRef, watch } from "vue";
import { usePlayer } from "./player";
import { useTarget } from "./target";

/** How long a peak is held before it falls (ms). */
const HELD = 1500;

export const usePeakHold = defineStore("peak-hold", () => {
  const player = usePlayer();
  const target = useTarget();
  const nothing = () => ({ left: -Infinity, right: -Infinity, since: 0 });
  const peaks = shallowRef(nothing());
  const over = shallowRef({ left: false, right: false });

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
      const ceiling = target.target?.dbtp ?? 0;
      const isOver = {
        left: over.value.left || (reading.true_peak_left ?? -Infinity) > ceiling,
        right: over.value.right || (reading.true_peak_right ?? -Infinity) > ceiling,
      };
      if (isOver.left !== over.value.left || isOver.right !== over.value.right) over.value = isOver;
    },
  );
  watch(
    () => player.playing,
    (playing) => playing && (over.value = { left: false, right: false }),
  );

  return { peaks, over };
});
