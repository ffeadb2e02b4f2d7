/** The arrow keys in a group of buttons of which one is chosen: they choose the next, as in any group of radio buttons. */
export function radioKey(event: KeyboardEvent): void {
  const by = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
  if (by === undefined) return;
  const group = event.currentTarget as HTMLElement;
  const radios = [...group.querySelectorAll<HTMLElement>("[role=radio]:not(:disabled)")];
  const at = radios.indexOf(
    (event.target as HTMLElement).closest<HTMLElement>("[role=radio]") as HTMLElement,
  );
  const next = radios[(at + by + radios.length) % radios.length];
  if (at < 0 || !next) return;
  event.preventDefault();
  event.stopPropagation();
  next.focus();
  next.click();
}
