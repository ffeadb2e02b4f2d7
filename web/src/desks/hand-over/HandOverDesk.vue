<script setup lang="ts">
/** The Hand over desk: what is ordered on the left, what has been made of it on the right. */
import { onBeforeUnmount, onMounted } from "vue";
import { useSession } from "@/session/session";
import DeliveryCard from "@/desks/hand-over/order/DeliveryCard.vue";
import { useDeliveries } from "@/desks/hand-over/order/deliveries";
import OrderPart from "@/desks/hand-over/order/OrderPart.vue";

const props = defineProps<{ width: number }>();
const session = useSession();
const deliveries = useDeliveries();
onMounted(() => void deliveries.arrive());
onBeforeUnmount(() => deliveries.leave());
</script>

<template>
  <div class="hand" :class="{ beside: props.width >= 620 }">
    <OrderPart v-if="session.mayEdit" />
    <section class="made" :aria-label="$t('handOverDesk.exports')">
      <h2>{{ $t("handOverDesk.exports2") }}</h2>
      <p v-if="deliveries.trouble" class="trouble" role="alert">{{ deliveries.trouble }}</p>
      <p v-if="!deliveries.rows" class="quiet">{{ $t("handOverDesk.loading") }}</p>
      <div v-else-if="!deliveries.rows.length" class="empty">
        <svg width="150" height="46" aria-hidden="true">
          <path d="M4 40H146M75 34V46M4 35V45M146 35V45" />
          <path class="needle" d="M75 40 104 6" />
        </svg>
        <p>
          {{
            session.mayEdit
              ? $t("handOverDesk.noExportsYetChooseFiles")
              : $t("handOverDesk.noExportsYetWhatAn")
          }}
        </p>
      </div>
      <DeliveryCard v-for="one in deliveries.rows" :key="one.id" :delivery="one" />
      <p v-if="deliveries.rows?.length" class="quiet kept">{{ $t("handOverDesk.theLatest12ExportsAre") }}</p>
    </section>
  </div>
</template>

<style scoped>
.hand {
  height: 100%;
  overflow-y: auto;
  background: var(--paper);
}
.beside {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(280px, 44%);
  overflow: hidden;
}
.beside > * {
  overflow-y: auto;
}
.made {
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 12px 16px 24px;
  background: var(--raised);
  border-left: 1px solid var(--rule-strong);
}
h2 {
  font-size: 13px;
  font-weight: 600;
}
.empty {
  display: grid;
  gap: 10px;
  padding: 22px 18px;
  border: 1px dashed var(--rule-strong);
  color: var(--quiet);
}
.empty svg {
  fill: none;
  stroke: var(--rule-strong);
  stroke-width: 1.5;
}
.empty .needle {
  stroke: var(--lamp);
  stroke-width: 2.5;
}
@media (max-width: 760px) {
  .hand {
    height: auto;
  }
}
.kept {
  font-size: 12px;
}
</style>
