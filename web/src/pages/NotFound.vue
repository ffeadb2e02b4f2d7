<script setup lang="ts">
/** There is nothing at this address. */
</script>

<template>
  <main>
    <img src="/needle.svg" alt="" width="56" height="56" />
    <h1>{{ $t("notFound.thereIsNothingAtThis") }}</h1>
    <p class="quiet">{{ $t("notFound.thePageMayHaveBeen") }}</p>
    <p>
      <RouterLink to="/">{{ $t("notFound.toYourSessions") }}</RouterLink> ·
      <a href="/guide/">{{ $t("notFound.theGuide") }}</a>
    </p>
  </main>
</template>

<style scoped>
main {
  display: grid;
  gap: 10px;
  place-content: center;
  justify-items: center;
  height: 100%;
  padding: 20px;
  text-align: center;
}
h1 {
  font-size: 24px;
}
a {
  color: var(--right);
}
</style>
