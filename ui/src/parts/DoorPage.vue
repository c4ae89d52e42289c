<script setup lang="ts">
/** A page for somebody who is not inside yet: one form, with the mark above it. */
const emit = defineEmits<{ send: [] }>();
</script>

<template>
  <main class="door">
    <div class="airmail" />
    <form class="inside" @submit.prevent="emit('send')">
      <img src="/mark.svg" alt="" width="40" />
      <slot />
    </form>
  </main>
</template>

<style scoped>
.door {
  max-width: 420px;
  margin: 10vh auto 0;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 6px;
  overflow: hidden;
}
.inside {
  padding: 28px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.inside :deep(label) {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
.inside :deep(p) {
  margin: 0;
}
.inside :deep(.refused) {
  color: var(--red);
}
@media (max-width: 460px) {
  .door {
    margin: 16px 12px 0;
  }
}
</style>
