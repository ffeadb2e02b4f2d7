<script setup lang="ts">
/** Play, stop, jump and go round: personal, in the dark bar. */
import { computed } from "vue";
import { BARS, clockText } from "@/domain/grid";
import { must } from "@/domain/must";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import ValueField from "@/ui/ValueField.vue";

const session = useSession();
const player = usePlayer();
/** Instead of a passage's id: bars of one's own. */
const OWN = "own bars";
const FROM_HERE = [1, 2, 4, 8];
const round = computed({
  get: () => player.round ?? (player.loop ? OWN : ""),
  set: (chosen: string) => {
    const bars = FROM_HERE.find((count) => chosen === hereOf(count));
    if (chosen !== OWN && !bars) return player.goRoundPassage(chosen || null);
    const start = session.grid.barFrom(player.playhead, 0);
    player.goRound(start, session.grid.step(start, bars ?? must(FROM_HERE[2]), BARS));
  },
});
const hereOf = (bars: number): string => `from here ${bars}`;
const EDGES = ["start", "end"] as const;
function setEnd(edge: (typeof EDGES)[number], at: number): void {
  const now = must(player.loop);
  if (edge === "start") player.goRound(at, at < now.end ? now.end : at + now.end - now.start);
  else player.goRound(at > now.start ? now.start : at - (now.end - now.start), at);
}
</script>

<template>
  <div class="transport" role="group" :aria-label="$t('transport.transportOnlyForYou')">
    <button
      class="jump"
      :aria-label="$t('transport.toTheStart')"
      :title="$t('transport.toTheStartHome')"
      @click="player.seek(0)"
    >
      <svg width="14" height="14"><path d="M2 2h2v10H2zM12 2v10L5 7z" /></svg>
    </button>
    <button
      class="play"
      :aria-label="player.playing ? $t('transport.stop') : $t('transport.play')"
      :title="player.playing ? $t('transport.stopSpace') : $t('transport.playSpace')"
      @click="player.toggle()"
    >
      <svg width="26" height="26">
        <path v-if="player.playing" d="M8 7h4v12H8zM15 7h4v12h-4z" />
        <path v-else d="M9 6v14l11-7z" />
      </svg>
    </button>
    <div class="where">
      <ValueField
        class="bar"
        :value="player.playhead"
        :label="$t('transport.playheadBarAndBeat')"
        :text="(at) => session.grid.text(at).split('.').slice(0, 2).join(' . ')"
        :parse="(text) => session.grid.parse(text.replaceAll(' ', ''))"
        :hint="$t('transport.typeABarAndBeat')"
        @set="player.seek($event)"
      />
      <span class="clock number">{{ clockText(player.playhead) }}</span>
    </div>
    <label class="round" :class="{ on: round }">
      <span class="hidden-label">{{ $t("transport.loopOnlyForYou") }}</span>
      <select v-model="round" :title="$t('transport.loopOnlyYou')">
        <option value="">{{ $t("transport.noLoop") }}</option>
        <option v-if="player.loop" :value="OWN">
          {{ $t("transport.loopTheseBars") }}
        </option>
        <option v-for="count in FROM_HERE" :key="count" :value="hereOf(count)">
          {{ $t("transport.loopFromHere", { count }, count) }}
        </option>
        <option v-for="passage in session.passages" :key="passage.id" :value="passage.id">
          {{ $t("transport.loopName", { name: passage.name }) }}
        </option>
      </select>
    </label>
    <div v-if="player.loop" class="ends">
      <ValueField
        v-for="edge in EDGES"
        :key="edge"
        class="end"
        :value="player.loop[edge]"
        :label="edge === 'start' ? $t('transport.loopStart') : $t('transport.loopEnd')"
        :text="(at) => session.grid.text(at)"
        :parse="(text) => session.grid.parse(text)"
        :hint="$t('transport.typeABarAndBeat')"
        @set="setEnd(edge, $event)"
      />
    </div>
  </div>
</template>

<style scoped>
.transport {
  display: flex;
  align-items: center;
  gap: 8px;
}
.jump,
.play {
  display: grid;
  place-items: center;
  padding: 0;
  border: 0;
  border-radius: 50%;
  background: none;
  cursor: pointer;
}
.jump {
  width: 26px;
  height: 26px;
  fill: var(--bar-text);
}
.play {
  width: 30px;
  height: 30px;
  background: var(--lamp);
  fill: var(--on-lamp);
}
.where {
  width: 66px;
  line-height: 1.15;
}
.bar {
  height: 20px;
  padding: 0 2px;
  font-size: 15px;
  font-weight: 500;
}
.bar:focus,
.bar:hover:not(:disabled) {
  background: var(--bar-hover);
  border-color: var(--bar-rule);
}
.clock {
  display: block;
  padding-left: 3px;
  font-size: 11px;
  color: var(--bar-quiet);
}
.ends {
  display: flex;
}
.end {
  width: 46px;
  height: 24px;
  padding: 0 3px;
  font-size: 12px;
}
.end:focus,
.end:hover:not(:disabled) {
  background: var(--bar-hover);
  border-color: var(--bar-rule);
}
.round select {
  width: 112px;
  height: 26px;
  padding: 0 8px;
  border: 1px solid var(--bar-rule);
  border-radius: 13px;
  background: transparent;
  color: inherit;
  font-size: 13px;
}
.round.on select {
  border-color: var(--lamp);
  color: var(--bar-lit);
}
</style>
