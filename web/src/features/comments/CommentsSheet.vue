<script setup lang="ts">
/** The comments in place of the details: pinned to times and sources, answered, resolved. */
import { useSelection } from "@/session/selection";
import { Button, Input, Textarea } from "ant-design-vue";
import { must } from "@/domain/must";
import { computed, nextTick, ref, watch } from "vue";
import { useSession } from "@/session/session";
import { useMoves } from "@/session/moves";
import { usePlayer } from "@/audio/player";
import { initials, personColour } from "@/ui/theme";
import { usePeople } from "@/features/people/people";
import SideSheet from "@/ui/SideSheet.vue";
import { useComments } from "./comments";
import RemarkText from "./RemarkText.vue";

const session = useSession();
const comments = useComments();
const people = usePeople();
const moves = useMoves();
const player = usePlayer();
const selection = useSelection();
const text = ref("");
const answer = ref("");
const resolved = ref(false);
const field = ref<HTMLTextAreaElement>();
void people.look();

const list = computed(() => (resolved.value ? comments.inOrder : comments.open));
const hidden = computed(() => comments.all.length - comments.open.length);
const source = computed(() => session.sourceById(selection.chosen));
const colourOf = (person: number): string =>
  personColour(people.members.find((one) => one.id === person)?.colour ?? 0);

watch(
  () => comments.pin,
  async (pin) => {
    if (!pin) return;
    await nextTick();
    field.value?.focus();
  },
  { immediate: true },
);
watch(
  () => comments.chosen,
  async (id) => {
    answer.value = "";
    await nextTick();
    document.querySelector(`[data-comment="${id}"]`)?.scrollIntoView({ block: "nearest" });
  },
);

function pinTo(what: "time" | "stretch" | "source" | "nothing"): void {
  const pin = must(comments.pin);
  if (what === "source") comments.pin = { ...pin, source: pin.source ? "" : must(selection.chosen) };
  else if (what === "nothing") comments.pin = { ...pin, beat: null, end: null };
  else {
    const kept = pin.source;
    comments.begin(what === "stretch" ? (moves.span ?? player.roundSpan) : null);
    comments.pin = { ...must(comments.pin), source: kept };
  }
}

async function make(): Promise<void> {
  if (text.value.trim() && (await comments.make(text.value.trim()))) text.value = "";
}
async function reply(id: string): Promise<void> {
  if (answer.value.trim() && (await comments.reply(id, answer.value.trim()))) answer.value = "";
}
</script>

<template>
  <SideSheet
    :title="$t('commentsSheet.comments')"
    :trouble="comments.trouble"
    @close="comments.shown = false"
  >
    <template #begin>
      <Button v-if="!comments.pin" type="primary" size="small" @click="comments.begin(moves.span)">
        {{ $t("commentsSheet.new") }} <kbd>{{ $t("shortcutKey.n") }}</kbd>
      </Button>
    </template>

    <form v-if="comments.pin" class="new" @submit.prevent="make">
      <p>
        {{ $t("commentsSheet.on") }} <b>{{ comments.where(comments.pin) }}</b>
      </p>
      <div class="pins" role="group" :aria-label="$t('commentsSheet.pinnedTo')">
        <Button size="small" @click="pinTo('time')">
          {{ $t("commentsSheet.thePlayhead") }}
        </Button>
        <Button v-if="moves.span || player.roundSpan" size="small" @click="pinTo('stretch')">
          {{ $t("commentsSheet.theRange") }}
        </Button>
        <Button size="small" @click="pinTo('nothing')">
          {{ $t("commentsSheet.noTime") }}
        </Button>
        <Button
          v-if="source"
          size="small"
          class="lit"
          :aria-pressed="!!comments.pin.source"
          @click="pinTo('source')"
        >
          {{ source.name }}
        </Button>
      </div>
      <Textarea
        ref="field"
        v-model:value="text"
        :rows="3"
        :maxlength="2000"
        :aria-label="$t('commentsSheet.yourComment')"
        :placeholder="$t('commentsSheet.whatYouHearAndWhat')"
        @keydown.ctrl.enter="make"
        @keydown.esc.stop="comments.pin = null"
      />
      <div class="line">
        <Button type="primary" size="small" html-type="submit" :disabled="!text.trim()">
          {{ $t("commentsSheet.comment") }}
        </Button>
        <Button size="small" @click="comments.pin = null">
          {{ $t("commentsSheet.cancel") }}
        </Button>
      </div>
    </form>

    <ol>
      <li
        v-for="one in list"
        :key="one.id"
        :class="{
          chosen: one.id === comments.chosen,
          unread: comments.unreadIn(one).length,
          done: one.resolved,
        }"
        :data-comment="one.id"
      >
        <button class="where" :aria-expanded="one.id === comments.chosen" @click="comments.jump(one)">
          <span class="face" :style="{ background: colourOf(one.author.id) }">{{
            initials(one.author.name)
          }}</span>
          <span class="number">{{ comments.where(one) }}</span>
          <span v-if="comments.unreadIn(one).length" class="new-mark">{{ $t("commentsSheet.new2") }}</span>
        </button>
        <RemarkText :remark="one" :chosen="one.id === comments.chosen" @choose="comments.choose(one.id)">
          <template v-if="one.resolved">
            {{ $t("commentsSheet.resolvedByResolved", { resolved: one.resolved }) }}</template
          >
          <template v-else-if="one.id !== comments.chosen && one.replies.length">
            · {{ one.replies.length }}
            {{ one.replies.length > 1 ? $t("commentsSheet.replies") : $t("commentsSheet.reply") }}
          </template>
        </RemarkText>
        <template v-if="one.id === comments.chosen">
          <div v-for="part in one.replies" :key="part.id" class="reply">
            <span class="face" :style="{ background: colourOf(part.author.id) }">{{
              initials(part.author.name)
            }}</span>
            <div class="said">
              <RemarkText :remark="part" chosen />
            </div>
          </div>
          <form class="line" @submit.prevent="reply(one.id)">
            <Input
              v-model:value="answer"
              :maxlength="2000"
              :aria-label="$t('commentsSheet.yourReply')"
              :placeholder="$t('commentsSheet.reply2')"
            />
            <Button size="small" html-type="submit" :disabled="!answer.trim()">
              {{ $t("commentsSheet.send") }}
            </Button>
          </form>
          <div class="line">
            <Button size="small" @click="comments.resolve(one.id, !one.resolved)">
              {{ one.resolved ? $t("commentsSheet.reopen") : $t("commentsSheet.resolve") }}
            </Button>
          </div>
        </template>
      </li>
    </ol>
    <p v-if="!comments.all.length && !comments.pin" class="quiet">
      {{ $t("commentsSheet.commentsOnTheMixGo") }}
    </p>
    <Button v-if="hidden" type="link" size="small" @click="resolved = !resolved">
      {{
        resolved
          ? $t("commentsSheet.hideResolved")
          : $t("commentsSheet.showHiddenResolved", { hidden: hidden })
      }}
    </Button>
  </SideSheet>
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  align-items: center;
}
.new {
  display: grid;
  gap: 7px;
  padding: 10px;
  background: var(--raised);
  border: 1px solid var(--lamp);
  border-radius: 3px;
}
.pins {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
}
ol {
  display: grid;
  gap: 6px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  gap: 4px;
  padding: 7px 9px;
  border: 1px solid var(--rule);
  border-left-width: 4px;
  border-radius: 3px;
  background: var(--raised);
}
li.unread {
  border-left-color: var(--lamp);
}
li.chosen {
  border-color: var(--ink);
}
li.done {
  opacity: 0.75;
}
.where {
  display: flex;
  gap: 7px;
  align-items: center;
  padding: 0;
  border: 0;
  background: none;
  font-size: 12px;
  text-align: left;
  cursor: pointer;
}
.where:hover {
  text-decoration: underline;
}
.face {
  color: var(--on-lamp);
  flex: none;
  display: grid;
  place-items: center;
  width: 20px;
  height: 20px;
  border-radius: 50%;
  font-size: 9px;
  font-weight: 600;
}
.new-mark {
  margin-left: auto;
  padding: 0 5px;
  background: var(--lamp);
  border-radius: 3px;
  font-size: 11px;
  font-weight: 600;
}
.said {
  flex: 1;
  min-width: 0;
}
.reply {
  display: flex;
  gap: 8px;
  padding: 4px 0 2px 6px;
  border-left: 2px solid var(--rule);
}
</style>
