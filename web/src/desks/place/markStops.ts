/** One tab stop for all the marks of a picture; Page Up and Page Down go from mark to mark. */
import { useSelection } from "@/session/selection";
import { computed, nextTick, ref, type Ref } from "vue";

export function useMarkStops(picture: Ref<Element | undefined>, ids: () => string[]) {
  const selection = useSelection();
  /** The mark that had the focus last. */
  const last = ref("");
  const stop = computed(() => {
    const order = ids();
    return [last.value, selection.chosen ?? ""].find((id) => order.includes(id)) ?? order[0] ?? "";
  });

  function onFocus(event: FocusEvent): void {
    const mark = (event.target as Element).closest<SVGElement>("[data-mark]");
    if (mark) last.value = mark.dataset.mark ?? "";
  }

  async function onKey(event: KeyboardEvent): Promise<void> {
    const by = { PageDown: 1, PageUp: -1 }[event.key];
    const order = ids();
    const at = order.indexOf(
      (event.target as Element).closest<SVGElement>("[data-mark]")?.dataset.mark ?? "",
    );
    const next = by && at >= 0 ? order[at + by] : undefined;
    if (next === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    last.value = next;
    await nextTick();
    const marks = picture.value?.querySelectorAll<SVGElement>("[data-mark]") ?? [];
    [...marks].find((one) => one.dataset.mark === next)?.focus();
  }

  return { stop, onFocus, onKey };
}
