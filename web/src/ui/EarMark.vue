<script setup lang="ts">
/** The ear: what stands beside it is only for the person who uses it. */
</script>

<template>
  <svg
    class="ear"
    width="14"
    height="18"
    viewBox="0 0 14 18"
    role="img"
    :aria-label="$t('earMark.onlyForYou')"
  >
    <title>{{ $t("earMark.onlyForYouNobodyElse") }}</title>
    <path
      d="M2.5 7a4.5 4.5 0 1 1 8.6 1.8c-.8 1.7-2.6 2.3-2.9 4.4C8 15 6.900 16.500 5.300 16.500 3.900 16.500 3 15.600 2.900 14.300"
    />
    <path d="M5 7.200a2 2 0 1 1 3.600 1.200c-.5.600-1.300.9-1.400 1.900" />
  </svg>
</template>

<style scoped>
.ear {
  fill: none;
  stroke: var(--lamp);
  stroke-width: 1.4;
  stroke-linecap: round;
}
</style>
