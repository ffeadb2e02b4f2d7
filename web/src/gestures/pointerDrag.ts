/** A drag with mouse, pen or finger: begun, moved, ended or called off; whatever the pointer does, it ends once. */
import { onScopeDispose } from "vue";

export interface PointerDrag {
  /** Whether the press begins a drag. */
  start: (event: PointerEvent) => boolean;
  move: (event: PointerEvent) => void;
  end: (event: PointerEvent) => void;
  /** The press was taken away, or ended otherwise than by letting go: nothing is to change. */
  cancel: () => void;
}

export function usePointerDrag(drag: PointerDrag) {
  let pointer: number | null = null;

  function down(event: PointerEvent): void {
    if (event.button !== 0 || pointer !== null || !drag.start(event)) return;
    event.preventDefault();
    pointer = event.pointerId;
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
  }
  function move(event: PointerEvent): void {
    if (event.pointerId === pointer) drag.move(event);
  }
  function up(event: PointerEvent): void {
    if (event.pointerId !== pointer) return;
    pointer = null;
    drag.end(event);
  }
  function cancel(): void {
    if (pointer === null) return;
    pointer = null;
    drag.cancel();
  }
  onScopeDispose(cancel);

  return { down, move, up, cancel };
}
