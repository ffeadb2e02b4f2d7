<script setup lang="ts">
/** The passages as coloured ribs along the time: pressed, one goes round; twice, it is changed. */
import type { Passage } from "@/domain/model";
import { computed } from "vue";
import { useMoves } from "@/session/moves";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { useChartView } from "@/session/view";

const props = defineProps<{ top: number; scale: number; height: number }>();
defineEmits<{ edit: [id: string] }>();
const session = useSession();
const player = usePlayer();
const moves = useMoves();
const view = useChartView();

/** Room (px) that a letter takes; a name that does not fit is told by the rib's title. */
const LETTER = 5.8;

/** Go round a passage; with Shift, pick it as the stretch that is worked on. */
function press(event: MouseEvent, passage: Passage): void {
  if (event.shiftKey)
    moves.pick(session.grid.secondsOfBeat(passage.start), session.grid.secondsOfBeat(passage.end));
  else player.goRoundPassage(player.round === passage.id ? null : passage.id);
}

const ribs = computed(() =>
  session.passages.map((passage) => {
    const from = session.grid.secondsOfBeat(passage.start);
    const to = session.grid.secondsOfBeat(passage.end);
    const [top, height] = [(from - props.top) * props.scale, (to - from) * props.scale];
    const [low, high] = [Math.max(top, 0), Math.min(top + height, props.height)];
    return {
      passage,
      top,
      height,
      middle: (low + high) / 2 - top,
      shown: high - low > passage.name.length * LETTER,
    };
  }),
);
</script>

<template>
  <button
    v-for="rib in ribs"
    :key="rib.passage.id"
    class="rib"
    :class="{ round: player.round === rib.passage.id }"
    :style="{ top: `${rib.top + 1}px`, height: `${Math.max(rib.height - 2, 4)}px` }"
    :title="
      player.round === rib.passage.id
        ? $t('ribs.stopLooping')
        : $t('ribs.loopNameOnlyYouShift', { name: rib.passage.name })
    "
    :aria-pressed="player.round === rib.passage.id"
    @click="press($event, rib.passage)"
    @focus="view.show(session.grid.secondsOfBeat(rib.passage.start))"
    @dblclick="session.mayEdit && $emit('edit', rib.passage.id)"
    @keydown.f2="session.mayEdit && $emit('edit', rib.passage.id)"
  >
    <span v-show="rib.shown" :style="{ top: `${rib.middle}px` }">{{ rib.passage.name }}</span>
  </button>
</template>

<style scoped>
.rib {
  position: absolute;
  left: 4px;
  width: 16px;
  padding: 0;
  border: 0;
  border-radius: 2px;
  background: var(--rule);
  opacity: 0.85;
  cursor: pointer;
  overflow: hidden;
}
.rib span {
  position: absolute;
  left: 0;
  writing-mode: vertical-rl;
  transform: translateY(-50%) rotate(180deg);
  font-size: 11px;
  line-height: 16px;
  white-space: nowrap;
}
.rib.round {
  background: var(--lamp-soft);
  opacity: 1;
}
</style>
