/**
 * One tab stop for a whole list: it is where one was last. The arrow keys go from row to row, and along a row from one
 * control to the next; in a control that uses them itself they are that control's.
 */
import { inject, nextTick, provide, ref, type InjectionKey, type Ref } from "vue";

interface Roving {
  isStop: (item: string, stop: string) => boolean;
}
const ROVING: InjectionKey<Roving> = Symbol("roving");

/** Of a list: `items` are the rows' keys in order, `show` brings one into view. */
export function useRoving(
  list: Ref<HTMLElement | undefined>,
  items: () => string[],
  show: (index: number) => void,
): { onFocus: (event: FocusEvent) => void; onKey: (event: KeyboardEvent) => void } {
  const last = ref({ item: "", stop: "name" });
  provide(ROVING, {
    isStop(item, stop) {
      const keys = items();
      const at = keys.includes(last.value.item) ? last.value : { item: keys[0], stop: "name" };
      return at.item === item && at.stop === stop;
    },
  });

  const placeOf = (target: EventTarget | null): { row: HTMLElement; stop: HTMLElement } | null => {
    const stop = (target as HTMLElement | null)?.closest<HTMLElement>("[data-stop]");
    const row = stop?.closest<HTMLElement>("[data-item]");
    return stop && row ? { row, stop } : null;
  };

  function onFocus(event: FocusEvent): void {
    const place = placeOf(event.target);
    if (place) last.value = { item: place.row.dataset.item ?? "", stop: place.stop.dataset.stop ?? "" };
  }

  async function goTo(index: number, stop: string): Promise<void> {
    const item = items()[index];
    if (item === undefined) return;
    show(index);
    await nextTick();
    const row = [...(list.value?.querySelectorAll<HTMLElement>("[data-item]") ?? [])].find(
      (one) => one.dataset.item === item,
    );
    const control = row?.querySelector<HTMLElement>(`[data-stop="${stop}"]:not(:disabled)`);
    (control ?? row?.querySelector<HTMLElement>("[data-stop]"))?.focus();
  }

  function onKey(event: KeyboardEvent): void {
    const place = placeOf(event.target);
    if (!place || event.ctrlKey || event.metaKey || event.altKey) return;
    const at = items().indexOf(place.row.dataset.item ?? "");
    const stop = place.stop.dataset.stop ?? "name";
    const stops = [...place.row.querySelectorAll<HTMLElement>("[data-stop]:not(:disabled)")];
    const along = stops.indexOf(place.stop);
    const actions: Record<string, () => void> = {
      ArrowDown: () => void goTo(at + 1, stop),
      ArrowUp: () => void goTo(at - 1, stop),
      ArrowRight: () => stops[along + 1]?.focus(),
      ArrowLeft: () => stops[along - 1]?.focus(),
      PageDown: () => void goTo(Math.min(at + 10, items().length - 1), stop),
      PageUp: () => void goTo(Math.max(at - 10, 0), stop),
    };
    const action = actions[event.key];
    if (!action) return;
    event.preventDefault();
    event.stopPropagation();
    action();
  }

  return { onFocus, onKey };
}

/** Of a row: the tabindex of each of its controls; where there is no such list, all can be reached. */
export function useStops(item: () => string): (stop: string) => 0 | -1 {
  const roving = inject(ROVING, null);
  return (stop) => (!roving || roving.isStop(item(), stop) ? 0 : -1);
}
