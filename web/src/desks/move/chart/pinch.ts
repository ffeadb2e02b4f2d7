/** Two fingers on the paper: nearer and farther, and along. */
import { useChartView } from "@/session/view";

export function usePinch() {
  const view = useChartView();
  const fingers = new Map<number, { x: number; y: number }>();

  const spread = (): { apart: number; middle: number } => {
    const [a, b] = [...fingers.values()] as [{ x: number; y: number }, { x: number; y: number }];
    return { apart: Math.max(Math.hypot(a.x - b.x, a.y - b.y), 1), middle: (a.y + b.y) / 2 };
  };

  function down(event: PointerEvent): void {
    if (event.pointerType === "touch") fingers.set(event.pointerId, { x: event.clientX, y: event.clientY });
  }

  /** Whether two fingers took the move. */
  function move(event: PointerEvent, top: number): boolean {
    if (!fingers.has(event.pointerId)) return false;
    if (fingers.size !== 2) {
      fingers.set(event.pointerId, { x: event.clientX, y: event.clientY });
      return false;
    }
    const before = spread();
    fingers.set(event.pointerId, { x: event.clientX, y: event.clientY });
    const after = spread();
    view.scrollBy(before.middle - after.middle);
    view.zoom(after.apart / before.apart, after.middle - top);
    return true;
  }

  const up = (event: PointerEvent): void => void fingers.delete(event.pointerId);
  const two = (): boolean => fingers.size > 1;

  return { down, move, up, two };
}
