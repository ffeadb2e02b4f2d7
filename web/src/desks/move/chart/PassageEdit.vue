<script setup lang="ts">
/** A passage's name and its bars, beside its rib. */
import { Button } from "ant-design-vue";
import type { Passage } from "@/domain/model";
import { nextTick, onMounted, ref } from "vue";
import { operation, useEdits } from "@/session/edits";
import { useSession } from "@/session/session";
import ValueField from "@/ui/ValueField.vue";

const props = defineProps<{ passage: Passage; top: number }>();
const emit = defineEmits<{ done: [] }>();
const session = useSession();
const edits = useEdits();
const input = ref<HTMLInputElement>();
onMounted(() => nextTick(() => input.value?.select()));

const at = (beat: number): number => session.grid.secondsOfBeat(beat);

function rename(): void {
  const name = input.value?.value.trim();
  if (name && name !== props.passage.name)
    edits.make(operation("set-passage", { id: props.passage.id, name }));
}

function setEdge(edge: "start" | "end", seconds: number): void {
  const beat = session.grid.quarterAt(seconds);
  edits.make(operation("set-passage", { id: props.passage.id, [edge]: beat }));
}

function remove(): void {
  edits.make(operation("remove-passage", { id: props.passage.id }));
  emit("done");
}
</script>

<template>
  <div
    class="edit"
    :style="{ top: `${top}px` }"
    role="dialog"
    :aria-label="$t('passageEdit.passage')"
    @keydown.esc.stop="$emit('done')"
  >
    <label>
      <span>{{ $t("passageEdit.passage") }}</span>
      <input
        ref="input"
        :value="passage.name"
        maxlength="120"
        :aria-label="$t('passageEdit.nameOfThePassage')"
        @change="rename"
        @keydown.enter="
          rename();
          $emit('done');
        "
        @keydown.stop
      />
    </label>
    <label v-for="edge in ['start', 'end'] as const" :key="edge">
      <span>{{ edge === "start" ? $t("passageEdit.fromBar") : $t("passageEdit.toBar") }}</span>
      <ValueField
        :value="at(passage[edge])"
        :label="edge === 'start' ? $t('passageEdit.firstBarOfThePassage') : $t('passageEdit.theBarAtWhichIt')"
        :text="(seconds) => session.grid.text(seconds)"
        :parse="(text) => session.grid.parse(text)"
        :hint="$t('passageEdit.typeABarAndBeat')"
        @set="setEdge(edge, $event)"
      />
    </label>
    <div class="buttons">
      <Button size="small" @click="remove">{{ $t("passageEdit.delete") }}</Button>
      <Button size="small" @click="$emit('done')">{{ $t("passageEdit.done") }}</Button>
    </div>
  </div>
</template>

<style scoped>
.edit {
  position: absolute;
  left: 24px;
  z-index: 3;
  display: grid;
  gap: 3px;
  width: 230px;
  padding: 8px 10px;
  background: var(--raised);
  border: 1px solid var(--ink);
  border-radius: 3px;
}
label {
  display: grid;
  grid-template-columns: 70px 1fr;
  align-items: center;
  font-size: 13px;
}
input {
  min-width: 0;
  height: 26px;
  padding: 0 6px;
  border: 1px solid var(--rule-strong);
  border-radius: 3px;
  background: var(--paper);
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 5px;
  margin-top: 3px;
}
</style>
