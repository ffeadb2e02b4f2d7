/**
 * What hands hold here, and what they have let go but not yet seen come back: it is shown at once, told to colleagues
 * while it is held, and heard as it was held until the change is part of a revision.
 */
import type { Pending, Value } from "@/domain/model";
import { reactive } from "vue";

interface Others {
  /** Whether a colleague has hold of a control. */
  isTaken: (control: string) => boolean;
  /** What colleagues hold, by control. */
  held: () => ReadonlyMap<string, { value: number }>;
  /** Tell colleagues where a hand has moved a control to; null where it lets go. */
  tell: (control: string, value: number | null) => void;
}

export function useHeld(others: Others) {
  /** What this hand holds or has let go but not yet seen come back, by control. */
  const pending = reactive(new Map<string, Pending>());
  /** What a hand has let go that becomes points of a line: heard as it was held until those have come back. */
  const becoming = reactive(new Map<string, { value: number; id: string }>());
  /** Whether what is changed is only held just now. */
  let holding = false;
  /** Controls that hands hold by changes that are not made yet. */
  const inHand = new Set<string>();

  /**
   * Show a value at once while a hand holds it, and tell colleagues; what one of them holds is left to them. It is
   * rendered to be heard unless the hand is heard otherwise.
   */
  function hold(control: string, value: number, isRendered = true): void {
    if (others.isTaken(control)) return;
    pending.set(control, { value, ids: new Set(), isRendered });
    others.tell(control, value);
  }

  /** Let go without changing anything. */
  function letGo(control: string): void {
    pending.delete(control);
    others.tell(control, null);
  }

  const isHolding = (): boolean => holding;

  /** Have the numbers that `make` changes held: they are shown, told and heard, and nothing is sent. */
  function whileHeld(make: () => void): void {
    holding = true;
    try {
      make();
    } finally {
      holding = false;
    }
  }

  /** Hold the numbers among some values by a change that is not made yet. */
  function holdNumbers(values: Record<string, Value>): void {
    for (const [control, value] of Object.entries(values)) {
      if (typeof value !== "number") continue;
      inHand.add(control);
      hold(control, value);
    }
  }

  /** Let go what is held by changes that are not made. */
  function dropHeld(): void {
    for (const control of inHand) if (isHeld(control)) letGo(control);
    inHand.clear();
  }

  /** Whether a hand still holds a control: no change carries its value. */
  const isHeld = (control: string): boolean => pending.get(control)?.ids.size === 0;

  /** A change was sent that makes `values` of what was `held`: they show, and sound as held, until it has come back. */
  function carry(change: string, values: Record<string, Value>, held: string[]): void {
    for (const control of held) {
      inHand.delete(control);
      if (control in values) continue;
      const before = pending.get(control);
      if (before?.isRendered) becoming.set(control, { value: before.value as number, id: change });
      pending.delete(control);
    }
    for (const [control, value] of Object.entries(values)) {
      const before = pending.get(control);
      const ids = before?.ids ?? new Set<string>();
      ids.add(change);
      pending.set(control, { value, ids, isRendered: before?.isRendered ?? false });
    }
  }

  /** A change has come back, or was refused: nothing shows or sounds for its sake any more. */
  function settle(change: string): void {
    for (const [control, { id }] of becoming) if (id === change) becoming.delete(control);
    for (const [control, { ids }] of pending) if (ids.delete(change) && !ids.size) pending.delete(control);
  }

  /** What is to be heard as it is held, by control: one's own, and if one wishes what colleagues hold. */
  function heardAsHeld(withOthers: boolean): Map<string, number> {
    const result = new Map<string, number>();
    if (withOthers) for (const [control, { value }] of others.held()) result.set(control, value);
    for (const [control, { value }] of becoming) result.set(control, value);
    for (const [control, { value, isRendered }] of pending)
      if (isRendered && typeof value === "number") result.set(control, value);
    return result;
  }

  function forget(): void {
    pending.clear();
    becoming.clear();
    inHand.clear();
  }

  return { pending, hold, letGo, isHolding, whileHeld, holdNumbers, dropHeld, isHeld, carry, settle, heardAsHeld, forget }; // prettier-ignore
}
