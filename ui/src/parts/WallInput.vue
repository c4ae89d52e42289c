<script setup lang="ts">
import { computed } from "vue";

import ClockInput from "./ClockInput.vue";
import DateInput from "./DateInput.vue";

/** A day and a time on a wall clock, as one text: “2026-03-05T09:00”, whatever seconds it came with. */
const wall = defineModel<string>({ required: true });
withDefaults(defineProps<{ day?: string; time?: string; disabled?: boolean }>(), { day: "Date", time: "Time" });
const date = computed({
  get: () => wall.value.slice(0, 10),
  set: (now: string | null) => now && (wall.value = `${now}T${clock.value}`),
});
const clock = computed({
  get: () => wall.value.slice(11, 16),
  set: (now: string | null) => now && (wall.value = `${date.value}T${now}`),
});
</script>

<template>
  <DateInput v-model="date" :label="day" :disabled="disabled" />
  at
  <ClockInput v-model="clock" :label="time" />
</template>
