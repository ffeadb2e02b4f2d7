<script setup lang="ts">
/** One's own keys: each shortcut with its key, which is pressed anew to change it, or taken away. */
import { Button } from "ant-design-vue";
import { computed, ref } from "vue";
import { usePreferences } from "@/account/preferences";
import { CHANGEABLE } from "@/account/keyNames";
import { useShortcutKeys } from "@/account/shortcutKeys";
import { t } from "@/words";

const keys = useShortcutKeys();
const preferences = usePreferences();
/** The shortcut that waits for its key. */
const waits = ref("");

/** Signs and digits cannot be parts of a message's name. */
const NAMES: Record<string, string> = {
  "[": "previous", "]": "next", ",": "barBack", ".": "barOn", 1: "place", 2: "move", 3: "pulse", 4: "balance", 5: "handOver",
}; // prettier-ignore
const rows = computed(() =>
  CHANGEABLE.map((shortcut) => ({
    shortcut,
    key: keys.keyOf(shortcut).toUpperCase(),
    title: t(`shortcutList.${NAMES[shortcut] ?? `key${shortcut.toUpperCase()}`}`),
  })),
);

function onKey(event: KeyboardEvent, shortcut: string): void {
  if (waits.value !== shortcut || event.key === "Tab") return;
  event.preventDefault();
  event.stopPropagation();
  if (event.ctrlKey || event.metaKey || event.altKey || event.key === "Shift") return;
  const takesAway = event.key === "Backspace" || event.key === "Delete";
  if (event.key.length === 1 && event.key !== " " && event.key !== "?")
    void keys.setKey(shortcut, event.key.toLowerCase());
  else if (takesAway) void keys.setKey(shortcut, "");
  else if (event.key !== "Escape") return;
  waits.value = "";
}
</script>

<template>
  <div>
    <p class="quiet">{{ $t("shortcutList.howToChange") }}</p>
    <ul>
      <li v-for="row in rows" :key="row.shortcut">
        <Button
          size="small"
          class="number"
          :class="{ waits: waits === row.shortcut }"
          :aria-label="
            $t('shortcutList.keyOf', { title: row.title, key: row.key || $t('shortcutList.none') })
          "
          :aria-pressed="waits === row.shortcut"
          @click="waits = waits === row.shortcut ? '' : row.shortcut"
          @blur="waits = ''"
          @keydown="onKey($event, row.shortcut)"
        >
          {{ waits === row.shortcut ? "…" : row.key || "–" }}
        </Button>
        <span>{{ row.title }}</span>
      </li>
    </ul>
    <Button
      v-if="Object.keys(preferences.liked.shortcuts).length"
      type="link"
      size="small"
      @click="keys.reset()"
    >
      {{ $t("shortcutList.resetAll") }}
    </Button>
  </div>
</template>

<style scoped>
ul {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 12px;
  margin: 6px 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
li .ant-btn.ant-btn-sm {
  flex: none;
  min-width: 34px;
}
@media (max-width: 600px) {
  ul {
    grid-template-columns: 1fr;
  }
}
</style>
