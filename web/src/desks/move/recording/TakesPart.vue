<script setup lang="ts">
/** The take that waits to be kept or dropped, and all earlier ones to choose from. */
import { Button } from "ant-design-vue";
import { t } from "@/words";
import { computed } from "vue";
import { useSession } from "@/session/session";
import { useTakes, type Take } from "@/session/takes";
import { useMonitor } from "@/audio/monitor";
import Fold from "@/ui/Fold.vue";

const session = useSession();
const takes = useTakes();
const monitor = useMonitor();

const bars = (take: Take): string => session.grid.barsText(take.start, take.end);
const size = (take: Take): string => {
  const points = take.writes.reduce((sum, write) => sum + write.points.length, 0);
  return t("takesPart.pointsOfSamples", { points, samples: take.samples }, points);
};
const rest = computed(() => takes.takes.filter((one) => one.id !== takes.waiting?.id));
</script>

<template>
  <section v-if="takes.waiting" class="waiting" data-decides :aria-label="$t('takesPart.recordedTake')">
    <p>
      <strong>{{ $t("takesPart.recorded") }}</strong> {{ bars(takes.waiting) }}, {{ takes.waiting.mode }}
      <span class="quiet number">{{ size(takes.waiting) }}</span>
    </p>
    <div class="row">
      <Button
        size="small"
        class="lit"
        :aria-pressed="monitor.comparing"
        :title="$t('takesPart.compareTheTakeOnlyFor')"
        @click="monitor.compare(!monitor.comparing)"
      >
        {{ $t("takesPart.compareB") }}
      </Button>
      <Button size="small" :title="$t('takesPart.theAutomationFromBeforeStays')" @click="takes.drop">
        {{ $t("takesPart.discard") }}
      </Button>
      <Button type="primary" size="small" :title="$t('takesPart.useTheTakeAsThe')" @click="takes.keep">
        {{ $t("takesPart.keep") }}
      </Button>
    </div>
  </section>
  <Fold v-if="rest.length" :title="$t('takesPart.takes')" :summary="String(rest.length)">
    <ul>
      <li v-for="take in rest" :key="take.id">
        <button
          class="take"
          :title="$t('takesPart.pressToShow', { summary: take.summary })"
          @click="takes.consider(take)"
        >
          {{ bars(take) }} {{ take.mode }} <span class="quiet number">{{ size(take) }}</span>
        </button>
        <Button
          size="small"
          :title="$t('takesPart.deleteThisTake')"
          :aria-label="$t('takesPart.deleteSummary', { summary: take.summary })"
          @click="takes.forget(take)"
        >
          ×
        </Button>
      </li>
    </ul>
  </Fold>
  <p v-if="takes.unsent.length" class="quiet" role="status">
    {{ $t("takesPart.waiting", { count: takes.unsent.length }, takes.unsent.length) }}
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
