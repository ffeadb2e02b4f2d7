<script setup lang="ts">
/** What the desk says of what is chosen: a source, several, a return, or how it is moved and balanced. */
import { useSelection } from "@/session/selection";
import { computed, defineAsyncComponent } from "vue";
import { usePulseDesk } from "@/session/pulseDesk";
import { useSession } from "@/session/session";
import PlaceDetails from "@/desks/place/details/PlaceDetails.vue";
import ReturnDetails from "@/desks/place/details/ReturnDetails.vue";

const BalanceDetails = defineAsyncComponent(() => import("@/desks/balance/details/BalanceDetails.vue"));
const HandOverDetails = defineAsyncComponent(() => import("@/desks/hand-over/HandOverDetails.vue"));
const DealDetails = defineAsyncComponent(() => import("@/desks/pulse/notes/DealDetails.vue"));
const SeveralDetails = defineAsyncComponent(() => import("@/desks/place/details/SeveralDetails.vue"));
const PulseDetails = defineAsyncComponent(() => import("@/desks/pulse/details/PulseDetails.vue"));
// Loaded with the desk that they belong to.
const MoveDetails = defineAsyncComponent(() => import("@/desks/move/details/MoveDetails.vue"));

defineProps<{ desk: string }>();
defineEmits<{ bringIn: []; history: [] }>();
const session = useSession();
const selection = useSelection();
const use = usePulseDesk();

const shownReturn = computed(() =>
  selection.focus === "return" ? session.returns.find((one) => one.id === selection.layer) : undefined,
);
const source = computed(() => session.sourceById(selection.chosen));
</script>

<template>
  <aside class="details" :aria-label="$t('details.details')">
    <BalanceDetails v-if="desk === 'balance'" />
    <HandOverDetails
      v-else-if="desk === 'hand-over'"
      @bring-in="$emit('bringIn')"
      @history="$emit('history')"
    />
    <template v-else-if="desk === 'pulse' && source">
      <DealDetails v-if="use.dealing" :key="`d${source.id}`" :source="source" @back="use.dealing = false" />
      <PulseDetails v-else :key="source.id" :source="source" @deal="use.dealing = true" />
    </template>
    <ReturnDetails v-else-if="shownReturn" :to="shownReturn" />
    <SeveralDetails v-else-if="selection.all.length > 1 && desk === 'place'" />
    <PlaceDetails v-else-if="source && desk === 'place'" :key="source.id" :source="source" />
    <MoveDetails v-else-if="source" :key="source.id" :source="source" />
    <p v-else class="empty quiet">{{ $t("details.selectASourceInThe") }}</p>
  </aside>
</template>

<style scoped>
.details {
  /* What is hidden inside stays inside, and does not stretch the page. */
  position: relative;
  display: flex;
  flex-direction: column;
  min-height: 0;
  padding: 12px 16px 10px;
  overflow-y: auto;
  background: var(--panel);
  border-left: 1px solid var(--rule-strong);
}
.empty {
  padding: 8px 0;
}
</style>
