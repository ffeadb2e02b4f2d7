<script setup lang="ts">
/** One delivery: how far it is, then its files, what they measure, and taking them away. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import { sentence, sentences, t } from "@/words";
import { computed } from "vue";
import { decibels, leanText } from "@/domain/format";
import { useSession } from "@/session/session";
import { momentText } from "@/ui/moment";
import { bytesText, isOpen, useDeliveries, type Delivery } from "./deliveries";

const props = defineProps<{ delivery: Delivery }>();
const session = useSession();
const deliveries = useDeliveries();

const percent = computed(() => Math.round(props.delivery.progress * 100));
const whole = computed(() => props.delivery.files.reduce((sum, one) => sum + one.bytes, 0));
const part = computed(() => {
  const { start, seconds } = props.delivery;
  if (start < 0.01 && Math.abs(seconds - session.length) < 0.02) return t("deliveryCard.theWholePiece");
  return session.grid.barsText(start, start + seconds);
});
/** Names without the folders that all files share. */
const names = computed(() => {
  const split = props.delivery.files.map((one) => one.name.split("/"));
  let shared = 0;
  while (
    split[0]?.[shared + 1] &&
    split.every((one) => one.length > shared + 1 && one[shared] === must(split[0])[shared])
  )
    shared += 1;
  return split.map((one) => one.slice(shared).join(" / "));
});
const measured = (file: Delivery["files"][number]): string =>
  [
    file.lufs !== null && file.lufs !== undefined ? `${decibels(file.lufs)} LUFS` : "",
    file.dbtp !== null && file.dbtp !== undefined ? `${decibels(file.dbtp)} dBTP` : "",
    file.lean !== null && file.lean !== undefined ? leanText(file.lean) : "",
    file.said ?? "",
  ]
    .filter(Boolean)
    .join(" · ");
</script>

<template>
  <article
    class="card"
    :aria-label="$t('deliveryCard.exportOfRevisionRevision', { revision: delivery.revision })"
    :data-status="delivery.status"
  >
    <header>
      <h3>
        <span class="number">r{{ delivery.revision }}</span> {{ part }}
      </h3>
      <span class="quiet">{{ delivery.author }}, {{ momentText(delivery.created_at) }}</span>
    </header>
    <template v-if="isOpen(delivery)">
      <div
        class="progress"
        role="progressbar"
        :aria-valuenow="percent"
        aria-valuemin="0"
        aria-valuemax="100"
        :aria-label="delivery.doing ? sentence(delivery.doing) : $t('deliveryCard.waiting')"
      >
        <span :style="{ width: `${percent}%` }" />
      </div>
      <div class="line">
        <span role="status">{{
          delivery.doing ? sentence(delivery.doing) : $t("deliveryCard.waitingForItsTurn")
        }}</span>
        <span class="number">{{ percent }} %</span>
        <Button v-if="session.mayEdit" size="small" @click="deliveries.stop(delivery)">
          {{ $t("deliveryCard.cancel") }}
        </Button>
      </div>
    </template>
    <p v-else-if="delivery.status === 'cancelled'">{{ $t("deliveryCard.cancelledNoFilesWereKept") }}</p>
    <p v-else-if="delivery.status === 'failed'" class="failed">{{ sentences(delivery.messages) }}</p>
    <div v-if="!isOpen(delivery)" class="line">
      <Button
        v-if="delivery.status === 'done'"
        type="primary"
        size="small"
        class="all"
        :href="deliveries.archiveAddress(delivery)"
        download
      >
        {{ $t("deliveryCard.takeAllBytesText", { bytesText: bytesText(whole) }) }}
      </Button>
      <Button v-if="session.mayEdit" type="link" size="small" @click="deliveries.discard(delivery)">
        {{ $t("deliveryCard.delete") }}
      </Button>
    </div>
    <template v-if="delivery.status === 'done'">
      <p v-for="note in delivery.notes" :key="note.text" class="note">{{ sentence(note) }}</p>
      <ul>
        <li v-for="(file, index) in delivery.files" :key="index">
          <a :href="deliveries.fileAddress(delivery, index)" download :title="file.name">{{
            names[index]
          }}</a>
          <span class="quiet number size">{{ bytesText(file.bytes) }}</span>
          <small v-if="measured(file)" class="quiet number">{{ measured(file) }}</small>
        </li>
      </ul>
    </template>
  </article>
</template>

<style scoped>
.card {
  display: grid;
  gap: 8px;
  padding: 10px 12px;
  background: var(--paper);
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
}
header,
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: baseline;
  justify-content: space-between;
  font-size: 12.5px;
}
h3 {
  font-size: 14px;
  font-weight: 600;
}
.progress {
  height: 5px;
  background: var(--rule);
}
.progress span {
  display: block;
  height: 100%;
  background: var(--lamp);
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 10px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
li a {
  overflow-wrap: anywhere;
  color: var(--right);
}
.size {
  font-size: 12px;
}
small {
  grid-column: 1 / -1;
  font-size: 11.5px;
}
.note {
  font-size: 12.5px;
}
.failed {
  color: var(--wrong);
  font-weight: 600;
}
.all {
  text-decoration: none;
}
</style>
