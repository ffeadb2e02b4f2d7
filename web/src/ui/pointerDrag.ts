/** A drag with mouse, pen or finger: begun, moved, ended or called off; whatever the pointer does, it ends once. */
import { mayScroll } from "@/ui/touch";
import { onScopeDispose, shallowRef } from "vue";

export interface PointerDrag<Subject> {
  /** Whether the press on a subject begins a drag; or the element that is to have the pointer meanwhile. */
  start: (event: PointerEvent, subject: Subject) => boolean | Element;
  move: (event: PointerEvent, subject: Subject) => void;
  end: (event: PointerEvent, subject: Subject) => void;
  /** The press was taken away, or called off with Escape: nothing is to change. */
  cancel: (subject: Subject) => void;
  /** A finger moves nothing before it has gone so far across that it cannot be about to scroll. */
  sideways?: boolean;
}

export function usePointerDrag<Subject = undefined>(drag: PointerDrag<Subject>) {
  /** What is dragged, with the pointer that drags it. */
  const held = shallowRef<{ subject: Subject; pointer: number } | null>(null);
  let pressedAt = 0;
  let decided = false;

  function down(event: PointerEvent, subject: Subject): void {
    if (event.button !== 0 || held.value) return;
    const begun = drag.start(event, subject);
    if (!begun) return;
    held.value = { subject, pointer: event.pointerId };
    [pressedAt, decided] = [event.clientX, !drag.sideways];
    (begun === true ? (event.currentTarget as Element) : begun).setPointerCapture(event.pointerId);
    window.addEventListener("keydown", escape, { capture: true });
  }

  function pointermove(event: PointerEvent): void {
    const now = held.value;
    if (now?.pointer !== event.pointerId) return;
    decided ||= !mayScroll(event, pressedAt);
    if (decided) drag.move(event, now.subject);
  }

  /** What was dragged, which now is not any more. */
  function release(): Subject | undefined {
    const now = held.value;
    held.value = null;
    window.removeEventListener("keydown", escape, { capture: true });
    return now?.subject;
  }

  function pointerup(event: PointerEvent): void {
    if (held.value?.pointer === event.pointerId) drag.end(event, release() as Subject);
  }

  function cancel(): void {
    if (held.value) drag.cancel(release() as Subject);
  }

  function escape(event: KeyboardEvent): void {
    if (event.key !== "Escape") return;
    event.preventDefault();
    event.stopPropagation();
    cancel();
  }

  onScopeDispose(cancel);

  /** Goes with `v-on` to the element that `down` was pressed on. */
  const follow = { pointermove, pointerup, pointercancel: cancel };
  return { down, follow, cancel, held };
}
