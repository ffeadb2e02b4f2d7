/** How a field or a slide has what it sets shown and heard while a hand holds it: whoever knows how provides it. */
import { inject, ref, type InjectionKey } from "vue";

export interface Holding {
  /** What `make` changes is held only: it becomes a change when the hand lets go. */
  hold: (make: () => void) => void;
  /** The hand lets go without changing anything. */
  drop: () => void;
}

export const HOLDING: InjectionKey<Holding> = Symbol("holding");

/** Where nobody provides it nothing is held: a value is set when the hand lets go. */
export const useHolding = (): Holding => inject(HOLDING, { hold: () => undefined, drop: () => undefined });

/**
 * A number while a hand moves it: `held` then, and null else. What is `live` is shown and heard by all that it touches
 * meanwhile; it is set once, when the hand lets go.
 */
export function useHeldNumber(stands: () => number, isLive: () => boolean, set: (value: number) => void) {
  const holding = useHolding();
  const held = ref<number | null>(null);
  /** What stood when the hand took hold: what is live follows the hand. */
  let began: number | null = null;

  function hold(value: number): void {
    began ??= stands();
    held.value = value;
    if (isLive()) holding.hold(() => set(value));
  }

  /** The hand lets go; as often as it is told. */
  function settle(): void {
    const [value, was] = [held.value, began];
    held.value = began = null;
    if (value === null) return;
    if (value !== was) set(value);
    else if (isLive()) holding.drop();
  }

  /** The hand thinks better of it. */
  function drop(): void {
    if (held.value !== null && isLive()) holding.drop();
    held.value = began = null;
  }

  return { held, hold, settle, drop };
}
