<script setup lang="ts">
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import { duration, simple, type Unit } from "../sequences/words";

/** A length of time as a number and a unit; null is no length. A length with several parts is shown as it is written. */
const span = defineModel<string | null | undefined>({ required: true });
const props = defineProps<{ label: string; least?: number }>();
const found = computed(() => simple(span.value) ?? { number: 0, unit: "D" as Unit });
const compound = computed(() => Boolean(span.value) && !simple(span.value));
const UNITS = [
  { value: "M", label: "minutes" },
  { value: "H", label: "hours" },
  { value: "D", label: "days" },
  { value: "W", label: "weeks" },
];
function set(number: number, unit: Unit): void {
  span.value = number > 0 ? duration(Math.round(number), unit) : props.least ? duration(props.least, unit) : null;
}
</script>

<template>
  <span class="span">
    <span v-if="compound" class="soft">{{ span }}, or</span>
    <InputNumber
      :value="found.number"
      :min="least ?? 0"
      :max="999"
      :aria-label="label"
      class="number"
      @change="(n) => set(Number(n ?? 0), found.unit)"
    />
    <Select
      v-named="'Minutes, hours, days or weeks'"
      :value="found.unit"
      :options="UNITS"
      class="unit"
      @change="(unit) => set(Math.max(1, found.number), unit as Unit)"
    />
  </span>
</template>

<style scoped>
.span {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  flex-wrap: wrap;
}
.number {
  width: 72px;
}
.unit {
  width: 100px;
}
</style>
