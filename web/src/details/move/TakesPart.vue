<script setup lang="ts">
/** The take that waits to be kept or dropped, and all earlier ones to choose from. */
import { computed } from "vue";
import { useSession } from "@/session/session";
import { useTakes, type Take } from "@/session/takes";
import { useMonitor } from "@/sound/monitor";
import Fold from "@/ui/Fold.vue";

const session = useSession();
const takes = useTakes();
const monitor = useMonitor();

const bars = (take: Take): string => session.grid.barsText(take.start, take.end);
const size = (take: Take): string => {
  const points = take.writes.reduce((sum, write) => sum + write.points.length, 0);
  return `${points} point${points === 1 ? "" : "s"} of ${take.samples}`;
};
const rest = computed(() => takes.takes.filter((one) => one.id !== takes.waiting?.id));
</script>

<template>
  <section v-if="takes.waiting" class="waiting" data-decides aria-label="Recorded take">
    <p>
      <strong>Recorded</strong> {{ bars(takes.waiting) }}, {{ takes.waiting.mode }}
      <span class="quiet number">{{ size(takes.waiting) }}</span>
    </p>
    <div class="row">
      <button
        class="small-button lit"
        :aria-pressed="monitor.comparing"
        title="Hear the take, only you (B held, Shift+B to stay)"
        @click="monitor.compare(!monitor.comparing)"
      >
        hear B
      </button>
      <button class="small-button" title="What was there stays (Backspace)" @click="takes.drop">Drop</button>
      <button class="small-button strong" title="The take becomes the line (Enter)" @click="takes.keep">
        Keep
      </button>
    </div>
  </section>
  <Fold v-if="rest.length" title="Takes" :summary="String(rest.length)">
    <ul>
      <li v-for="take in rest" :key="take.id">
        <button
          class="take"
          :title="`${take.summary}. Press to show it over what is there`"
          @click="takes.consider(take)"
        >
          {{ bars(take) }} {{ take.mode }} <span class="quiet number">{{ size(take) }}</span>
        </button>
        <button
          class="small-button"
          title="Forget this take"
          :aria-label="`Forget ${take.summary}`"
          @click="takes.forget(take)"
        >
          ×
        </button>
      </li>
    </ul>
  </Fold>
  <p v-if="takes.unsent.length" class="quiet" role="status">
    {{ takes.unsent.length }} recorded {{ takes.unsent.length === 1 ? "pass waits" : "passes wait" }} for the
    connection.
  </p>
</template>

<style scoped>
.waiting {
  margin: 8px 0;
  padding: 7px 9px;
  border: 1.5px solid var(--lamp);
  border-radius: 4px;
  background: var(--raised);
  font-size: 13px;
}
.row {
  display: flex;
  gap: 5px;
  margin-top: 5px;
}
.row button {
  flex: 1;
  height: 27px;
}
ul {
  max-height: 130px;
  margin: 0;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
li {
  display: flex;
  align-items: center;
  gap: 4px;
}
.take {
  flex: 1;
  padding: 3px 0;
  border: 0;
  background: none;
  font-size: 13px;
  text-align: left;
  cursor: pointer;
}
</style>
