<script setup lang="ts">
import CheckboxGroup from "ant-design-vue/es/checkbox/Group";
import Select from "ant-design-vue/es/select";

import type { PostingHours } from "../api/school-file";
import ClockInput from "../parts/ClockInput.vue";
import { WEEKDAYS } from "./words";

const hours = defineModel<PostingHours>({ required: true });
</script>

<template>
  <div class="hours">
    <label
      >from
      <ClockInput
        :model-value="hours.from"
        label="Opens at"
        @update:model-value="(at) => at && (hours = { ...hours, from: at })"
    /></label>
    <label
      >to
      <ClockInput
        :model-value="hours.to"
        label="Closes at"
        @update:model-value="(at) => at && (hours = { ...hours, to: at })"
    /></label>
    <Select
      v-model:value="hours.zone"
      v-named="'Whose time zone'"
      :options="[
        { value: 'student', label: 'in the student’s time zone' },
        { value: 'school', label: 'in the school’s time zone' },
      ]"
    />
    <CheckboxGroup
      :value="hours.days"
      :options="WEEKDAYS.map(([value, label]) => ({ value, label: label.slice(0, 3) }))"
      @change="(days) => days.length && (hours.days = WEEKDAYS.map(([d]) => d).filter((d) => days.includes(d)))"
    />
  </div>
</template>

<style scoped>
.hours {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 14px;
  align-items: center;
}
</style>
