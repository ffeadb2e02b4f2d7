/** Pictures on a canvas: painted anew when something they are painted from has changed, at most once a frame. */
import { effect, onMounted, onScopeDispose, stop } from "vue";

export function usePainting(paint: () => void): void {
  let frame = 0;
  let runner: ReturnType<typeof effect> | undefined;
  onMounted(() => {
    runner = effect(paint, {
      scheduler: () => {
        frame ||= requestAnimationFrame(() => {
          frame = 0;
          runner?.();
        });
      },
    });
  });
  onScopeDispose(() => {
    cancelAnimationFrame(frame);
    if (runner) stop(runner);
    runner = undefined;
  });
}
