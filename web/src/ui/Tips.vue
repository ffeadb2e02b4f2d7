<script setup lang="ts">
/** What an element's title says, shown beside it: to a pointer that rests on it, and at once to who comes by keyboard. */
import { Tooltip } from "ant-design-vue";
import { useEventListener } from "@vueuse/core";
import { nextTick, onBeforeUnmount, ref } from "vue";

/** So long (ms) a pointer rests before it is told. */
const RESTS = 500;

const text = ref("");
const box = ref({ left: "0px", top: "0px", width: "0px", height: "0px" });
const open = ref(false);
let over: HTMLElement | null = null;
let isNamed = true;
let timer = 0;

const titled = (event: Event): HTMLElement | null =>
  (event.target as Element | null)?.closest?.<HTMLElement>("[title], [data-title]") ?? null;

async function show(element: HTMLElement, title: string): Promise<void> {
  if (!element.isConnected || !title) return;
  const { left, top, width, height } = element.getBoundingClientRect();
  box.value = { left: `${left}px`, top: `${top}px`, width: `${width}px`, height: `${height}px` };
  text.value = title;
  // The tip is placed by where its anchor stands.
  await nextTick();
  open.value = true;
}

/** The browser's own tip would come as well: the title waits in the element's data while the pointer is on it. */
function enter(event: PointerEvent): void {
  const element = titled(event);
  if (element === over) return;
  leave();
  const title = element?.getAttribute("title");
  if (!element || !title || event.pointerType === "touch") return;
  over = element;
  element.dataset.title = title;
  element.removeAttribute("title");
  // One that is known by its title alone stays known by it.
  isNamed = element.hasAttribute("aria-label") || !!element.textContent.trim();
  if (!isNamed) element.setAttribute("aria-label", title);
  timer = window.setTimeout(() => void show(element, element.dataset.title ?? ""), RESTS);
}

function hide(): void {
  window.clearTimeout(timer);
  open.value = false;
}

function leave(): void {
  hide();
  if (!over) return;
  const title = over.dataset.title;
  // What it says may have changed meanwhile: then it has its title already.
  if (title && !over.hasAttribute("title")) over.setAttribute("title", title);
  if (!isNamed) over.removeAttribute("aria-label");
  delete over.dataset.title;
  over = null;
}

function focus(event: FocusEvent): void {
  const element = event.target as HTMLElement | null;
  if (!element?.matches?.(":focus-visible")) return;
  const title = element.getAttribute("title") ?? element.dataset.title;
  if (title) void show(element, title);
}

useEventListener(document, "pointerover", enter);
useEventListener(document, ["pointerdown", "wheel"], hide, { passive: true });
useEventListener(document, "pointerleave", leave);
useEventListener(document, "focusin", focus);
useEventListener(document, "focusout", hide);
useEventListener(document, "keydown", (event: KeyboardEvent) => event.key !== "Tab" && hide(), {
  capture: true,
});
onBeforeUnmount(leave);
</script>

<template>
  <Tooltip :open="open" :title="text" :mouse-enter-delay="0" destroy-tooltip-on-hide>
    <span class="anchor" :style="box" aria-hidden="true" />
  </Tooltip>
</template>

<style scoped>
.anchor {
  position: fixed;
  pointer-events: none;
}
</style>
