<script setup lang="ts">
/** One effect of a return or a layer: on or off, earlier or later in the row, and its settings as the core describes them. */
import { Button } from "ant-design-vue";
import type { Return } from "@/domain/model";
import { computed } from "vue";
import { effectControl } from "@/domain/owners";
import { useLibrary } from "@/session/library";
import { useSession } from "@/session/session";
import Slide from "@/ui/Slide.vue";

const props = defineProps<{
  effect: NonNullable<Return["effects"]>[number];
  /** The return or the layer that it is of. */
  owner: string;
  first: boolean;
  last: boolean;
}>();
const emit = defineEmits<{
  set: [settings: Record<string, number | string>];
  on: [on: boolean];
  move: [by: number];
  remove: [];
}>();
const session = useSession();
const library = useLibrary();

const kind = computed(() => library.effect(props.effect.kind));
const value = (name: string): number | string =>
  session.shown(
    effectControl(props.owner, props.effect.id, name),
    props.effect.settings[name] ?? kind.value?.settings.find((one) => one.name === name)?.default ?? 0,
  );

/** Of an echo's two ways of telling its time, the one that is not used is not shown. */
const settings = computed(() =>
  (kind.value?.settings ?? []).filter((setting) => {
    if (props.effect.kind !== "echo") return true;
    return setting.name !== (value("unit") === "ms" ? "beats" : "time");
  }),
);

function set(name: string, to: number | string): void {
  emit("set", { [name]: to });
}
</script>

<template>
  <section class="effect" :class="{ off: !effect.on }" :aria-label="kind?.title">
    <header>
      <Button
        size="small"
        class="on"
        :aria-pressed="effect.on"
        :disabled="!session.mayEdit"
        :aria-label="$t('effectPart.titleOn', { title: kind?.title })"
        @click="$emit('on', !effect.on)"
      >
        {{ effect.on ? $t("effectPart.on") : $t("effectPart.off") }}
      </Button>
      <b>{{ kind?.title }}</b>
      <button
        class="plain"
        :disabled="first || !session.mayEdit"
        :aria-label="$t('effectPart.earlier')"
        @click="$emit('move', -1)"
      >
        ↑
      </button>
      <button
        class="plain"
        :disabled="last || !session.mayEdit"
        :aria-label="$t('effectPart.later')"
        @click="$emit('move', 1)"
      >
        ↓
      </button>
      <button
        class="plain"
        :disabled="!session.mayEdit"
        :aria-label="$t('effectPart.removeTheTitle', { title: kind?.title })"
        @click="$emit('remove')"
      >
        ×
      </button>
    </header>
    <template v-for="setting in settings" :key="setting.name">
      <label v-if="setting.choices.length" class="choice">
        <span>{{ setting.title }}</span>
        <select
          :value="value(setting.name)"
          :disabled="!session.mayEdit"
          @change="set(setting.name, ($event.target as HTMLSelectElement).value)"
        >
          <option v-for="choice in setting.choices" :key="choice" :value="choice">{{ choice }}</option>
        </select>
      </label>
      <Slide
        v-else
        live
        :title="setting.title"
        :label="`${kind?.title}: ${setting.title}`"
        :value="Number(value(setting.name))"
        :low="setting.low"
        :high="setting.high"
        :step="setting.step"
        :unit="setting.unit"
        :initial="Number(setting.default)"
        :ratio="setting.low > 0 && setting.high / setting.low > 20"
        :disabled="!session.mayEdit"
        @set="set(setting.name, $event)"
      />
    </template>
  </section>
</template>

<style scoped>
.effect {
  margin-bottom: 6px;
  padding: 6px 8px;
  background: var(--raised);
  border: 1px solid var(--rule);
  border-radius: 3px;
}
.off {
  opacity: 0.6;
}
header {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-bottom: 2px;
}
header b {
  flex: 1;
  font-weight: 600;
}
.on {
  height: 20px;
  font-size: 11px;
}
.plain {
  padding: 0 3px;
  border: 0;
  background: none;
  color: var(--quiet);
  cursor: pointer;
}
.plain:disabled {
  opacity: 0.3;
}
.choice {
  display: grid;
  grid-template-columns: 84px 1fr;
  gap: 6px;
  align-items: center;
  min-height: 26px;
  font-size: 13px;
}
select {
  height: 24px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: none;
}
</style>
