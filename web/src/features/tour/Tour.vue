<script setup lang="ts">
/** The first look round: five marks, one on each desk; followed, left, or closed for ever. */
import { Button } from "ant-design-vue";
import { must } from "@/domain/must";
import { computed, nextTick, reactive, ref, shallowRef, watch } from "vue";
import { useElementBounding } from "@vueuse/core";
import { useRouter } from "vue-router";
import { usePreferences } from "@/account/preferences";
import { useSession } from "@/session/session";
import { MARKS } from "./marks";

const props = defineProps<{ desk: string }>();
const preferences = usePreferences();
const session = useSession();
const router = useRouter();

const at = ref(0);
const card = ref<HTMLElement>();
const mark = computed(() => must(MARKS[at.value]));
/** What the mark points at, as it lies on the page. */
const target = shallowRef<HTMLElement | null>(null);
const bounds = reactive(useElementBounding(target));
const on = computed(() => preferences.known && preferences.liked.tour === "new");

async function go(to: number): Promise<void> {
  at.value = to;
  if (props.desk !== mark.value.desk) await router.replace(`/sessions/${session.id}/${mark.value.desk}`);
  await nextTick();
  card.value?.focus({ preventScroll: true });
}
async function point(): Promise<void> {
  await nextTick();
  target.value = on.value ? document.querySelector<HTMLElement>(mark.value.at) : null;
}
watch([on, at, () => props.desk], () => void point(), { immediate: true, flush: "post" });
const close = (): Promise<void> => preferences.set({ tour: "done" });

// Who goes to another desk by themselves is told of that one.
watch(
  () => props.desk,
  (desk) => {
    const found = MARKS.findIndex((one) => one.desk === desk);
    if (on.value && found >= 0) at.value = found;
  },
  { immediate: true },
);
</script>

<template>
  <div
    v-if="on && target && bounds.width"
    class="ring"
    aria-hidden="true"
    :style="{
      left: `${bounds.left}px`,
      top: `${bounds.top}px`,
      width: `${bounds.width}px`,
      height: `${bounds.height}px`,
    }"
  />
  <section
    v-if="on"
    ref="card"
    class="tour"
    tabindex="-1"
    :aria-label="
      $t('tour.tourTitleAtOfMARKSCount', { title: mark.title, at: at + 1, MARKSCount: MARKS.length })
    "
    @keydown.escape.stop="close"
  >
    <header>
      <ol aria-hidden="true">
        <li v-for="(one, index) in MARKS" :key="one.desk" :class="{ here: index === at }" />
      </ol>
      <h2>{{ at + 1 }}. {{ mark.title }}</h2>
    </header>
    <p>{{ mark.says }}</p>
    <p v-if="at === MARKS.length - 1">
      <a href="/guide/lesson-01/" target="_blank" @click="close">{{ $t("tour.theFirstLesson") }}</a>{{
        $t("tour.tenLessonsWithNightFerry")
      }}
    </p>
    <footer>
      <Button type="link" size="small" @click="close">{{ $t("tour.donTShowAgain") }}</Button>
      <Button v-if="at" size="small" @click="go(at - 1)">{{ $t("tour.back") }}</Button>
      <Button v-if="at < MARKS.length - 1" type="primary" size="small" @click="go(at + 1)">
        {{ $t("tour.nextTitle", { title: must(MARKS[at + 1]).title }) }}
      </Button>
      <Button v-else type="primary" size="small" @click="close">{{ $t("tour.begin") }}</Button>
    </footer>
  </section>
</template>

<style scoped>
.ring {
  position: fixed;
  z-index: 700;
  border: 3px solid var(--lamp);
  border-radius: 4px;
  pointer-events: none;
}
.tour {
  position: fixed;
  right: 320px;
  bottom: 118px;
  z-index: 800;
  display: grid;
  gap: 8px;
  width: min(330px, calc(100vw - 24px));
  padding: 12px 14px;
  background: var(--raised);
  border: 1px solid var(--rule-strong);
  border-top: 4px solid var(--lamp);
  border-radius: 3px;
  box-shadow: 0 3px 12px rgb(32 38 43 / 16%);
}
header {
  display: flex;
  flex-direction: row-reverse;
  align-items: center;
  justify-content: space-between;
}
h2 {
  font-size: 16px;
}
ol {
  display: flex;
  gap: 5px;
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  width: 7px;
  height: 7px;
  border: 1px solid var(--quiet);
  border-radius: 50%;
}
.here {
  background: var(--lamp);
  border-color: var(--lamp);
}
footer {
  display: flex;
  gap: 8px;
  align-items: center;
}
footer .ant-btn-link {
  margin-right: auto;
  font-size: 12.5px;
}
@media (max-width: 1000px) {
  .tour {
    right: 12px;
    bottom: 12px;
  }
}
</style>
