<script setup lang="ts">
defineProps<{ title: string; above?: { to: string; name: string } }>();
</script>

<template>
  <header class="head">
    <RouterLink v-if="above" :to="above.to" class="above">{{ above.name }} /</RouterLink>
    <slot name="title"
      ><h1>{{ title }}</h1></slot
    >
    <slot name="beside" />
    <div class="acts"><slot /></div>
  </header>
</template>

<style scoped>
.head {
  display: flex;
  align-items: center;
  gap: 12px;
  min-height: 56px;
  padding: 8px 22px;
  border-bottom: 1px solid var(--rule);
  flex-wrap: wrap;
  flex: none;
}
.above {
  color: var(--soft);
  text-decoration: none;
  white-space: nowrap;
}
h1 {
  overflow-wrap: anywhere;
  min-width: 0;
}
.acts {
  margin-left: auto;
  display: flex;
  gap: 12px;
  flex-wrap: wrap;
}
@media (max-width: 720px) {
  .head {
    padding: 8px 14px;
  }
}
</style>
