<script setup lang="ts">
import Button from "ant-design-vue/es/button";

/** A box with a list of things and a button to make one more. */
defineProps<{ title: string; act: string }>();
defineEmits<{ act: [] }>();
</script>

<template>
  <section class="sheet box" :aria-label="title">
    <header>
      <h2>{{ title }}</h2>
      <Button size="small" @click="$emit('act')">{{ act }}</Button>
    </header>
    <slot />
  </section>
</template>

<style scoped>
.box {
  padding: 12px 14px 14px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 10px;
}
h2,
.box :slotted(p) {
  margin: 0;
}
</style>
