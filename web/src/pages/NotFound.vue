<script setup lang="ts">
/** There is nothing at this address. */
</script>

<template>
  <main>
    <img src="/needle.svg" alt="" width="56" height="56" />
    <h1>There is nothing at this address</h1>
    <p class="quiet">It may have been moved or taken away, or the link is not whole.</p>
    <p><RouterLink to="/">To your sessions</RouterLink> · <a href="/guide/">The guide</a></p>
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
