<script setup lang="ts">
import Button from "ant-design-vue/es/button";

import type { Step } from "../api/school-file";

/** What can be done with the chosen step as a whole. */
defineProps<{ step: Step | undefined; canUndo: boolean; canRedo: boolean }>();
const emit = defineEmits<{ move: [way: "up" | "down" | "in" | "out"]; copy: []; remove: []; undo: []; redo: [] }>();
</script>

<template>
  <div class="tools">
    <template v-if="step">
      <Button size="small" aria-label="Move up" title="Alt ↑" @click="emit('move', 'up')">↑ Up</Button>
      <Button size="small" aria-label="Move down" title="Alt ↓" @click="emit('move', 'down')">↓ Down</Button>
      <Button
        size="small"
        aria-label="Move into the lane above"
        title="Into the lane above (Alt →)"
        @click="emit('move', 'in')"
        >→ Into</Button
      >
      <Button
        size="small"
        aria-label="Move out of the lane"
        title="Out of its lane (Alt ←)"
        @click="emit('move', 'out')"
        >← Out</Button
      >
      <Button size="small" title="C" @click="emit('copy')">Copy</Button>
      <Button size="small" danger title="Delete" @click="emit('remove')">Remove</Button>
    </template>
    <Button size="small" :disabled="!canUndo" title="Ctrl Z" @click="emit('undo')">Undo</Button>
    <Button size="small" :disabled="!canRedo" title="Ctrl Shift Z" @click="emit('redo')">Redo</Button>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 4px;
  padding: 8px 14px;
  border-bottom: 1px solid var(--rule2);
  background: var(--sheet2);
  flex-wrap: wrap;
}
.tools :deep(.ant-btn) {
  padding: 0 7px;
  min-width: 0;
}
</style>
