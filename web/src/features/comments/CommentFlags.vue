<script setup lang="ts">
/** Comments on the chart: a flag at the right edge where each is pinned, a bracket over a stretch. */
import { must } from "@/domain/must";
import { computed } from "vue";
import { useChartView } from "@/session/view";
import { useSession } from "@/session/session";
import { useComments } from "./comments";

const props = defineProps<{ width: number }>();
const session = useSession();
const view = useChartView();
const comments = useComments();
const y = (at: number): number => (at - view.top) * view.scale;

const flags = computed(() =>
  comments.open
    .filter((one) => one.beat !== null)
    .map((one) => {
      const [start, end] = [must(one.beat), one.end ?? must(one.beat)].map((beat) =>
        y(session.grid.secondsOfBeat(beat)),
      );
      return { one, start: must(start), end: must(end), unread: comments.unreadIn(one).length > 0 };
    })
    .filter(({ start, end }) => end >= -12 && start <= view.height + 12),
);
</script>

<template>
  <g class="comments" role="group" :aria-label="$t('commentFlags.comments')">
    <g
      v-for="{ one, start, end, unread } in flags"
      :key="one.id"
      class="flag"
      :class="{ unread, chosen: comments.shown && one.id === comments.chosen }"
      tabindex="0"
      role="button"
      :data-flag="one.id"
      :aria-label="
        $t('commentFlags.commentByNameOnWhere', {
          name: one.author.name,
          where: comments.where(one),
          text: one.text,
        })
      "
      @pointerdown.stop
      @click.stop="comments.jump(one)"
      @keydown.enter.stop="comments.jump(one)"
    >
      <title>{{ one.author.name }}: {{ one.text }}</title>
      <path
        v-if="end > start"
        class="bracket"
        :d="`M${props.width - 16} ${start}H${props.width - 5}V${end}H${props.width - 16}`"
      />
      <path
        class="mark"
        :transform="`translate(${props.width - 24} ${start - 8})`"
        d="M1 1H17V12H9L4 16.500V12H1Z"
      />
      <text :x="props.width - 15" :y="start + 1" text-anchor="middle">{{ one.replies.length || "" }}</text>
    </g>
  </g>
</template>

<style scoped>
.flag {
  cursor: pointer;
  outline: none;
}
.mark {
  fill: var(--raised);
  stroke: var(--ink);
  stroke-width: 1.25;
}
.bracket {
  fill: none;
  stroke: var(--ink);
  stroke-dasharray: 2 3;
}
.unread .mark {
  fill: var(--lamp);
}
.chosen .mark,
.flag:focus-visible .mark {
  stroke: var(--lamp);
  stroke-width: 2.5;
}
text {
  font: 600 9px var(--sans);
  pointer-events: none;
}
</style>
