<script setup lang="ts">
/** What there is to see of a letter: its text, what became of it, its versions. */
defineProps<{ id: string; at: "write" | "figures" | "versions"; changed?: boolean }>();
</script>

<template>
  <nav class="tabs" aria-label="Of this letter">
    <RouterLink :to="`/letters/${id}`" :class="{ here: at === 'write' }">Write</RouterLink>
    <RouterLink :to="`/letters/${id}/figures`" :class="{ here: at === 'figures' }">What became of it</RouterLink>
    <RouterLink :to="`/letters/${id}/versions`" :class="{ here: at === 'versions' }">Versions</RouterLink>
    <slot />
  </nav>
</template>

<style scoped>
.tabs {
  display: flex;
  gap: 22px;
  padding: 0 22px;
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
  align-items: baseline;
  flex-wrap: wrap;
}
a {
  padding: 7px 2px;
  text-decoration: none;
  color: var(--soft);
  border-bottom: 3px solid transparent;
}
.here {
  color: var(--ink);
  border-color: var(--act);
  font-weight: 600;
}
@media (max-width: 720px) {
  .tabs {
    padding: 0 14px;
    gap: 16px;
  }
}
</style>
