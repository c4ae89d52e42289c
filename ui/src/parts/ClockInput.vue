<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { ref, watch } from "vue";

/** A time of day as HH:MM on the 24-hour clock, whatever the browser's own habits are. */
const time = defineModel<string | null>({ required: true });
const props = defineProps<{ label: string; empty?: boolean }>();
const text = ref(time.value ?? "");
const wrong = ref(false);
watch(time, (now) => (text.value = now ?? ""));

function settle(): void {
  const found = /^(\d{1,2})(?:[:.h ]?(\d{2}))?$/.exec(text.value.trim());
  const [hour, minute] = [Number(found?.[1]), Number(found?.[2] ?? 0)];
  if (props.empty && !text.value.trim()) time.value = null;
  wrong.value = Boolean(text.value.trim() || !props.empty) && (!found || hour > 23 || minute > 59);
  if (found && !wrong.value) {
    time.value = `${String(hour).padStart(2, "0")}:${String(minute).padStart(2, "0")}`;
    text.value = time.value;
  }
}
</script>

<template>
  <Input
    v-model:value="text"
    class="clock"
    :aria-label="label"
    :status="wrong ? 'error' : ''"
    :title="wrong ? 'A time such as 09:30' : ''"
    placeholder="--:--"
    @blur="settle"
    @press-enter="settle"
  />
</template>

<style scoped>
.clock {
  width: 72px;
  font-family: var(--mark);
}
</style>
