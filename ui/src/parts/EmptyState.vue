<script setup lang="ts">
defineProps<{ title: string }>();
</script>

<template>
  <div class="empty">
    <div class="stamp airmail" />
    <h2>{{ title }}</h2>
    <p class="soft"><slot /></p>
  </div>
</template>

<style scoped>
.empty {
  text-align: center;
  padding: 48px 24px;
  max-width: 460px;
  margin: 0 auto;
}
.stamp {
  width: 84px;
  margin: 0 auto 16px;
  height: 5px;
}
p {
  margin: 8px 0 0;
}
</style>
