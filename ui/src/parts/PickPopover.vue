<script setup lang="ts">
import Popover from "ant-design-vue/es/popover";
import { onBeforeUnmount, ref, watch } from "vue";

defineProps<{ title: string; placement?: "bottomLeft" | "bottom" | "bottomRight" | "rightBottom" }>();
const open = ref(false);
const inside = ref<HTMLElement>();
const opener = ref<HTMLElement>();

/** The keyboard goes into the popover when it opens and back to its opener when it closes. */
function turned(now: boolean): void {
  open.value = now;
  if (now) window.setTimeout(() => inside.value?.querySelector<HTMLElement>("input, button, textarea")?.focus(), 60);
}
function close(): void {
  open.value = false;
  opener.value?.querySelector<HTMLElement>("button")?.focus();
}
// Listened for on the window: a button that turns itself off while it works loses the keyboard.
function key(event: KeyboardEvent): void {
  if (event.key === "Escape") close();
}
watch(open, (now) => (now ? window.addEventListener("keydown", key) : window.removeEventListener("keydown", key)));
onBeforeUnmount(() => window.removeEventListener("keydown", key));
</script>

<template>
  <Popover :open="open" trigger="click" :placement="placement ?? 'bottom'" :title="title" @open-change="turned">
    <span ref="opener"><slot /></span>
    <template #content>
      <div ref="inside" class="inside"><slot name="content" /></div>
    </template>
  </Popover>
</template>

<style scoped>
.inside {
  max-width: 86vw;
}
</style>
