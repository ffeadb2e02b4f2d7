/** Fingers on the plan: one goes across and along, a second one anywhere (or Alt) lifts and lowers instead. */
import { useEventListener } from "@vueuse/core";
import { computed, onBeforeUnmount, ref, type Ref } from "vue";
import type { Wish } from "@/gestures/planDrag";
import type { RoomView } from "./view";

type Finger = { across: number; along: number; y: number };

export function useFingers(
  view: Ref<RoomView>,
  at: (event: PointerEvent) => { across: number; along: number },
  /** Told how far the hand has moved since it took hold, and at last that it lets go. */
  { moved, done }: { moved: (by: Wish) => void; done: (by: Wish) => void },
) {
  const down = ref(new Map<number, Finger>());
  const moving = computed(() => down.value.size > 0);
  let by: Wish = {};

  const fingerAt = (event: PointerEvent): Finger => ({ ...at(event), y: event.clientY });

  /** What has once moved is told from then on, back at its beginning too. */
  const add = (axis: keyof Wish, more: number): void => {
    if (more || by[axis] !== undefined) by[axis] = (by[axis] ?? 0) + more;
  };

  function take(event: PointerEvent): void {
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    by = {};
    down.value.set(event.pointerId, fingerAt(event));
  }

  function follow(event: PointerEvent): void {
    const before = down.value.get(event.pointerId);
    if (!before) return;
    const here = fingerAt(event);
    const lifts = event.altKey || down.value.size > 1;
    if (lifts && !view.value.side) add("height", (before.y - here.y) / view.value.unit / down.value.size);
    else {
      add(view.value.side ? "depth" : "across", here.across - before.across);
      add(view.value.side ? "height" : "depth", here.along - before.along);
    }
    down.value.set(event.pointerId, here);
    moved(by);
  }

  function lift(event: PointerEvent): void {
    if (down.value.delete(event.pointerId) && !moving.value) done(by);
  }

  const heard = computed(() => (moving.value ? window : null));
  useEventListener(
    heard,
    "pointerdown",
    (event: PointerEvent) => {
      down.value.set(event.pointerId, fingerAt(event));
      event.stopPropagation();
      event.preventDefault();
    },
    { capture: true },
  );
  useEventListener(heard, "pointermove", follow);
  useEventListener(heard, ["pointerup", "pointercancel"], lift);
  onBeforeUnmount(() => moving.value && done({}));

  return { take, moving };
}
