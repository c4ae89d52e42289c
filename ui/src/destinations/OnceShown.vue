<script setup lang="ts">
import Button from "ant-design-vue/es/button";

import { useCopy } from "../parts/copying";

/** A key, a secret or an address that is shown this once. */
defineProps<{ says: string; value: string }>();
defineEmits<{ seen: [] }>();
const copy = useCopy();
</script>

<template>
  <div class="once" role="status">
    <span>{{ says }}</span>
    <code class="postmark" data-testid="once">{{ value }}</code>
    <Button size="small" type="primary" @click="copy(value)">Copy</Button>
    <Button size="small" type="text" @click="$emit('seen')">I have it</Button>
  </div>
</template>

<style scoped>
.once {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: center;
  background: var(--well-bg);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 8px 10px;
}
code {
  overflow-wrap: anywhere;
  min-width: 0;
}
</style>
