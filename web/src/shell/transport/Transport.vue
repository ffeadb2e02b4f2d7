<script setup lang="ts">
/** Play, stop, jump and go round: personal, in the dark bar. */
import { computed } from "vue";
import { clockText } from "@/domain/grid";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import ValueField from "@/ui/ValueField.vue";

const session = useSession();
const player = usePlayer();
const round = computed({
  get: () => player.round ?? "",
  set: (id: string) => (player.round = id || null),
});
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
    <label class="round" :class="{ on: player.round }">
      <span class="hidden-label">{{ $t("transport.loopOnlyForYou") }}</span>
      <select v-model="round" :title="$t('transport.loopOnlyYou')">
        <option value="">{{ $t("transport.noLoop") }}</option>
        <option v-for="passage in session.passages" :key="passage.id" :value="passage.id">
          {{ $t("transport.loopName", { name: passage.name }) }}
        </option>
      </select>
    </label>
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
