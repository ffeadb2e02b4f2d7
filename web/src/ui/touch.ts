/** A finger moves nothing before it has gone so far across (px): it may be about to scroll. */
const DECIDED = 8;

/** Whether a pointer may still be about to scroll the page, by where it came down. */
export const mayScroll = (event: PointerEvent, pressedAt: number): boolean =>
  event.pointerType === "touch" && Math.abs(event.clientX - pressedAt) < DECIDED;
