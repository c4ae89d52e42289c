<script setup lang="ts">
import Modal from "ant-design-vue/es/modal";
import { nextTick, onBeforeUnmount, ref, watch } from "vue";

/** A question in a dialog: its first field has the keyboard when it opens, Enter confirms, Escape closes. */
const props = withDefaults(
  defineProps<{ open: boolean; title: string; ok: string; cancel?: string; ready?: boolean; busy?: boolean }>(),
  { cancel: "Cancel", ready: true },
);
const emit = defineEmits<{ "update:open": [open: boolean]; ok: []; cancel: [] }>();
const inside = ref<HTMLElement>();
let trying = 0;

/** The dialog comes in with a movement and takes the keyboard for itself at first, so we ask until we have it. */
function focus(left = 20): void {
  const first = inside.value?.querySelector<HTMLElement>("input:not([type=hidden]), textarea");
  first?.focus();
  if (left && document.activeElement !== first) trying = window.setTimeout(() => focus(left - 1), 40);
}
watch(
  () => props.open,
  (now) => now && void nextTick(() => focus()),
  { immediate: true },
);
onBeforeUnmount(() => window.clearTimeout(trying));

function close(): void {
  window.clearTimeout(trying);
  emit("update:open", false);
  emit("cancel");
}
function enter(event: KeyboardEvent): void {
  const field = event.target as HTMLElement;
  // In a list, Enter chooses; in a longer text, it begins a line.
  if (field.tagName !== "INPUT" || field.getAttribute("role") === "combobox" || event.isComposing) return;
  if (props.ready && !props.busy) emit("ok");
}
</script>

<template>
  <Modal
    :open="open"
    :title="title"
    :ok-text="ok"
    :cancel-text="cancel"
    :ok-button-props="{ disabled: !ready }"
    :confirm-loading="busy"
    @ok="emit('ok')"
    @cancel="close"
  >
    <div ref="inside" @keydown.enter="enter"><slot /></div>
  </Modal>
</template>
