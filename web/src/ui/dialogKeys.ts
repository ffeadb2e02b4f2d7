/** Keys belong to the dialog that is open, wherever the focus has gone: the button that had it may be off by now. */
import { useEventListener } from "@vueuse/core";

const topmost = (): HTMLElement | undefined =>
  [...document.querySelectorAll<HTMLElement>(".ant-modal-wrap")]
    .filter((one) => one.style.display !== "none")
    .at(-1);

export function useDialogKeys(): void {
  useEventListener(
    globalThis.window,
    "keydown",
    (event: KeyboardEvent) => {
      const dialog = event.target === document.body ? topmost() : undefined;
      if (!dialog) return;
      event.stopImmediatePropagation();
      dialog.focus({ preventScroll: true });
      if (event.key === "Escape") dialog.querySelector<HTMLElement>(".ant-modal-close")?.click();
    },
    { capture: true },
  );
}
