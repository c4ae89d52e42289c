<script setup lang="ts">
import Button from "ant-design-vue/es/button";

import { useCopy } from "../parts/copying";

/** Ten codes, shown this once. */
const props = defineProps<{ codes: string[] }>();
const emit = defineEmits<{ seen: [] }>();
const copy = useCopy();
</script>

<template>
  <div class="codes" role="status">
    <b>Your recovery codes, shown this once</b>
    <p>Print them or write them down, and keep them away from your telephone. Each works once.</p>
    <ol class="postmark">
      <li v-for="code in props.codes" :key="code">{{ code }}</li>
    </ol>
    <div class="acts">
      <Button size="small" @click="copy(codes.join('\n'))">Copy</Button>
      <Button size="small" @click="emit('seen')">I have kept them</Button>
    </div>
  </div>
</template>

<style scoped>
.codes {
  border: 1px solid var(--warn-mark);
  background: var(--warn-bg);
  border-radius: 6px;
  padding: 12px 16px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
ol {
  margin: 0;
  padding-left: 26px;
  columns: 2;
}
p {
  margin: 0;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
