<script setup lang="ts">
/** The edge between a panel and the desk: dragged for a wider or narrower panel, pressed twice for its usual width. */
import { usePointerDrag } from "@/ui/pointerDrag";
import { NARROWEST, usePanels, type Panel } from "./panels";

const props = defineProps<{ panel: Panel; label: string }>();
const panels = usePanels();
/** What makes it wider: to the right for the list, to the left for the details. */
const sign = (): number => (props.panel === "list" ? 1 : -1);
let from = { x: 0, width: 0 };

const drag = usePointerDrag({
  start: (event) => {
    from = { x: event.clientX, width: panels.widthOf(props.panel) };
    return true;
  },
  move: (event) => panels.set(props.panel, from.width + sign() * (event.clientX - from.x)),
  end: () => undefined,
  cancel: () => panels.set(props.panel, from.width),
});

function onKey(event: KeyboardEvent): void {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  panels.set(props.panel, panels.widthOf(props.panel) + sign() * by * (event.shiftKey ? 40 : 8));
}
</script>

<template>
  <div
    class="edge"
    :class="`at-${panel}`"
    role="separator"
    tabindex="0"
    aria-orientation="vertical"
    :aria-label="label"
    :title="label"
    :aria-valuenow="panels.widthOf(panel)"
    :aria-valuemin="NARROWEST[panel]"
    :aria-valuemax="panels.widest(panel)"
    v-on="drag.follow"
    @pointerdown.prevent="drag.down($event, undefined)"
    @keydown="onKey"
    @dblclick="panels.set(panel, 0)"
  />
</template>

<style scoped>
.edge {
  position: absolute;
  inset-block: 0;
  z-index: 3;
  width: 9px;
  margin-inline: -4px;
  cursor: col-resize;
  touch-action: none;
}
.edge:hover,
.edge:focus-visible {
  background: var(--lamp-wash);
  outline: none;
}
.at-list {
  left: 0;
}
.at-details {
  right: 0;
}
@media (max-width: 1000px) {
  .edge {
    display: none;
  }
}
</style>
