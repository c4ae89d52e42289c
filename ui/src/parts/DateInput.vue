<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { ref, watch } from "vue";

import { addDays, dateWords, readDate, today } from "./dates";

/** A date, read and written as it stands everywhere: “Thu 12 Mar 2026”. Arrow keys go a day, with Shift a week. */
const date = defineModel<string | null>({ required: true });
const props = defineProps<{ label: string; empty?: boolean; disabled?: boolean }>();
const shown = (found: string | null) => (found ? dateWords(found) : "");
const text = ref(shown(date.value));
const wrong = ref(false);
watch(date, (now) => ([text.value, wrong.value] = [shown(now), false]));

function settle(): void {
  if (text.value === shown(date.value)) return;
  const found = readDate(text.value, date.value ?? today());
  if (!text.value.trim() && props.empty) date.value = null;
  wrong.value = !found && !(props.empty && !text.value.trim());
  if (found) [date.value, text.value] = [found, shown(found)];
}
function key(event: KeyboardEvent): void {
  const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (!by || event.altKey) return;
  event.preventDefault();
  settle();
  date.value = addDays(date.value ?? today(), event.shiftKey ? 7 * by : by);
}
</script>

<template>
  <Input
    v-model:value="text"
    class="date"
    :aria-label="label"
    :disabled="disabled"
    :status="wrong ? 'error' : ''"
    :title="wrong ? 'A date such as 12 Mar 2026' : 'Arrow keys go a day, with Shift a week'"
    placeholder="12 Mar 2026"
    @keydown="key"
    @blur="settle"
    @press-enter="settle"
  />
</template>

<style scoped>
.date {
  width: 152px;
  font-family: var(--mark);
}
</style>
