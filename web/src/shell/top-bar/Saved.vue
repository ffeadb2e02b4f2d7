<script setup lang="ts">
/** What is kept: the revision, or how many changes wait; pressed, what they are and what became of those that waited. */
import { must } from "@/domain/must";
import { t } from "@/words";
import { Button, Popover } from "ant-design-vue";
import { computed } from "vue";
import { useSession } from "@/session/session";

const session = useSession();
const saved = computed(() => {
  if (session.waiting)
    return session.connected
      ? t("saved.savingChanges", { count: session.waiting })
      : t("saved.changesWaiting", { count: session.waiting }, session.waiting);
  return session.connected ? t("saved.savedRevision", { revision: session.revision }) : t("saved.connecting");
});
const refused = computed(() => session.outcomes.filter((one) => one.refusal));

function again(at: (typeof refused.value)[number]): void {
  session.outcomes = session.outcomes.filter((one) => one !== at);
  at.again();
}
</script>

<template>
  <Popover trigger="click" placement="bottomRight" :arrow="false">
    <button
      class="saved number"
      :class="{ away: !session.connected || refused.length }"
      :title="$t('saved.changesWaitingToBeSent')"
    >
      <span role="status"
        >{{ saved
        }}<template v-if="refused.length">
          {{ $t("saved.refusedCountRejected", { refusedCount: refused.length }) }}</template
        ></span
      >
    </button>
    <template #content>
      <div class="sheet">
        <template v-if="session.unsent.length">
          <h3 class="heading">{{ $t("saved.sending") }}</h3>
          <ol>
            <li v-for="(one, i) in session.unsent" :key="i">{{ one }}</li>
          </ol>
        </template>
        <template v-if="session.outcomes.length">
          <h3 class="heading">{{ $t("saved.madeWhileOffline") }}</h3>
          <ul>
            <li v-for="(one, i) in session.outcomes" :key="i">
              <b>{{ one.said }}</b>
              <span v-if="one.refusal" class="refused">
                {{ one.refusal }}
                <Button type="link" size="small" @click="again(one)">{{ $t("saved.tryAgain") }}</Button>
              </span>
              <span v-else-if="one.answer?.revision.overwrote.length" class="quiet">
                {{
                  $t("saved.savedItOverwroteSummary", {
                    summary: must(one.answer.revision.overwrote.at(-1)).summary,
                  })
                }}
              </span>
              <span v-else class="quiet">{{
                $t("saved.savedRRevision", { revision: one.answer?.revision.revision })
              }}</span>
            </li>
          </ul>
        </template>
        <p v-if="!session.unsent.length && !session.outcomes.length" class="quiet">
          {{ $t("saved.allChangesAreSavedOn") }}
        </p>
      </div>
    </template>
  </Popover>
</template>

<style scoped>
.saved {
  flex: 0 1 auto;
  min-width: 60px;
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  height: 28px;
  padding: 0 6px;
  border: 0;
  border-radius: 3px;
  background: none;
  color: var(--bar-quiet);
  font-size: 12px;
  text-align: left;
  cursor: pointer;
}
.saved:hover {
  background: var(--bar-hover);
}
.saved.away {
  color: var(--bar-lit);
}
.sheet {
  width: 320px;
  max-height: 60vh;
  overflow: auto;
}
ul,
ol {
  margin: 0 0 10px;
  padding-left: 18px;
}
li b {
  display: block;
  font-weight: 500;
}
.refused {
  color: var(--wrong);
}
@media (max-width: 760px) {
  .saved {
    min-width: 0;
  }
}
</style>
