<script setup lang="ts">
/** The notices, at the foot of the page, the latest lowest. */
import { Button } from "ant-design-vue";
import { useNotices } from "./notices";

const notices = useNotices();
</script>

<template>
  <TransitionGroup
    tag="ul"
    name="notice"
    class="notices"
    aria-live="polite"
    :aria-label="$t('notices.notices')"
  >
    <li
      v-for="notice in notices.all"
      :key="notice.id"
      :class="notice.kind"
      :role="notice.kind === 'wrong' ? 'alert' : undefined"
    >
      <span>{{ notice.text }}</span>
      <Button v-if="notice.action" type="primary" size="small" @click="notices.act(notice)">
        {{ notice.action.title }} <kbd v-if="notice.action.key">{{ notice.action.key.toUpperCase() }}</kbd>
      </Button>
      <Button v-if="notice.other" size="small" @click="notices.act(notice, 'other')">
        {{ notice.other.title }}
      </Button>
      <button class="close" :aria-label="$t('notices.dismiss')" @click="notices.drop(notice.id)">×</button>
    </li>
  </TransitionGroup>
</template>

<style scoped>
.notices {
  position: fixed;
  left: 50%;
  bottom: 14px;
  z-index: 900;
  display: grid;
  gap: 6px;
  width: min(620px, calc(100vw - 24px));
  margin: 0;
  padding: 0;
  transform: translateX(-50%);
  list-style: none;
  pointer-events: none;
}
li {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 8px 8px 8px 14px;
  background: var(--raised);
  border: 1px solid var(--rule-strong);
  border-left: 4px solid var(--lamp);
  border-radius: 3px;
  box-shadow: 0 3px 12px rgb(32 38 43 / 16%);
  pointer-events: auto;
}
.wrong {
  border-left-color: var(--wrong);
}
.done {
  border-left-color: var(--right);
}
span {
  flex: 1;
  min-width: 0;
}
.close {
  width: 24px;
  height: 24px;
  padding: 0;
  border: 0;
  background: none;
  font-size: 17px;
  cursor: pointer;
}
.notice-leave-active {
  transition: opacity 0.15s;
}
.notice-leave-to {
  opacity: 0;
}
@media (max-width: 640px) {
  li {
    position: relative;
    flex-wrap: wrap;
    gap: 8px;
  }
  span {
    flex: 0 0 calc(100% - 34px);
  }
  .close {
    position: absolute;
    top: 6px;
    right: 6px;
  }
}
@media (prefers-reduced-motion: reduce) {
  .notice-leave-active {
    transition: none;
  }
}
</style>
