<script setup lang="ts">
/** The loudspeakers that the mix is made for, and what changing them would move and make louder or softer. */
import { t } from "@/words";
import { Button } from "ant-design-vue";
import { computed, ref } from "vue";
import { useAsked } from "@/api/asked";
import type { Schemas } from "@/api/http";
import { decibels, directionText } from "@/domain/format";
import { operation, useEdits } from "@/session/edits";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import { usePlayer } from "@/audio/player";
import { inkOf } from "@/ui/theme";

const session = useSession();
const player = usePlayer();
const edits = useEdits();
const library = useLibrary();
const wanted = ref(session.settings?.layout ?? "0+2+0");
const changed = computed(() => wanted.value !== session.settings?.layout);
const layout = computed(() => library.library?.layouts.find((one) => one.name === wanted.value));

const title = computed(
  () => layout.value && layout.value.title.charAt(0).toLowerCase() + layout.value.title.slice(1),
);

const opened = player.playhead;
const { answer: moved, trouble } = useAsked<Schemas["MovedOut"][]>(
  () => {
    const about = { revision: String(session.revision), at: opened.toFixed(2), layout: wanted.value };
    return `/api/sessions/${session.id}/room/layout?${new URLSearchParams(about)}`;
  },
  { keeps: true, holds: true },
);

/** What is worth telling, what moves farthest first. */
const rows = computed(() =>
  (moved.value ?? [])
    .filter((one) => one.degrees > 1 || Math.abs(one.louder) >= 0.05 || one.folded)
    .sort((a, b) => b.degrees - a.degrees)
    .flatMap((one) => {
      const source = session.document?.sources[one.source];
      return source ? [{ ...one, source }] : [];
    }),
);
const said = (one: Omit<Schemas["MovedOut"], "source">): string => {
  const parts = [];
  if (one.degrees > 1) parts.push(`${directionText(one.before, 0)} → ${directionText(one.after, 0)}`);
  if (Math.abs(one.louder) >= 0.05) parts.push(`${decibels(one.louder)} dB`);
  if (one.folded) parts.push(t("layoutPart.depthOrHeightKeptNot"));
  return parts.join(" · ");
};
</script>

<template>
  <div class="part">
    <div>
      <label v-for="one in library.library?.layouts" :key="one.name" class="choice">
        <input v-model="wanted" type="radio" name="layout" :value="one.name" :disabled="!session.mayEdit" />
        {{ one.title }} <span class="quiet number">{{ one.name }}</span>
      </label>
    </div>
    <div>
      <p class="quiet channels">{{ layout?.channels.map((one) => one.label).join(" · ") }}</p>
      <!-- Above what is read of it, so that it stays where it is when that comes. -->
      <Button
        type="primary"
        :disabled="!changed || !session.mayEdit"
        @click="edits.make(operation('set-session', { layout: wanted }))"
      >
        {{ $t("layoutPart.mixForTitle", { title: title }) }}
      </Button>
      <p v-if="trouble" class="wrong" role="alert">{{ trouble }}</p>
      <p v-else-if="!changed">{{ $t("layoutPart.theMixIsMadeFor") }}</p>
      <p v-else-if="!rows.length">{{ $t("layoutPart.noSourceMovesOrChanges") }}</p>
      <template v-else>
        <p>
          {{
            $t("layoutPart.rowCountOfMovedCountSourcesWould", {
              rowCount: rows.length,
              movedCount: moved?.length,
            })
          }}
        </p>
        <ul>
          <li v-for="one in rows" :key="one.source.id">
            <i :style="{ background: inkOf(one.source.colour) }" /><b>{{ one.source.name }}</b>
            <span class="quiet">{{ said(one) }}</span>
          </li>
        </ul>
      </template>
    </div>
  </div>
</template>

<style scoped>
.part {
  display: grid;
  grid-template-columns: 230px 1fr;
  gap: 20px;
}
.choice {
  display: block;
  padding: 3px 0;
}
.channels {
  margin: 0 0 8px;
}
.channels + button {
  margin-bottom: 10px;
}
ul {
  max-height: 210px;
  margin: 0 0 10px;
  padding: 0;
  overflow-y: auto;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 8px 92px 1fr;
  gap: 8px;
  align-items: center;
  padding: 2px 0;
}
i {
  width: 5px;
  height: 16px;
  border-radius: 1px;
}
@media (max-width: 640px) {
  .part {
    grid-template-columns: 1fr;
  }
}
</style>
