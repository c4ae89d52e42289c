<script setup lang="ts">
import CheckboxGroup from "ant-design-vue/es/checkbox/Group";
import InputNumber from "ant-design-vue/es/input-number";
import RadioGroup from "ant-design-vue/es/radio/Group";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import type { Step } from "../api/school-file";
import ClockInput from "../parts/ClockInput.vue";
import { duration, simple, type Unit, WEEKDAYS } from "./words";

const step = defineModel<Step>({ required: true });
const span = computed(() => simple(step.value.for) ?? { number: 0, unit: "D" as Unit });
const compound = computed(() => Boolean(step.value.for) && !simple(step.value.for));

function setSpan(number: number, unit: Unit): void {
  step.value = { ...step.value, for: number > 0 ? duration(Math.round(number), unit) : null };
}
function setDays(days: string[]): void {
  step.value = {
    ...step.value,
    days: days.length && days.length < 7 ? WEEKDAYS.map(([d]) => d as string).filter((d) => days.includes(d)) : null,
  };
}
</script>

<template>
  <div class="panel">
    <div class="label">Wait</div>
    <h2>How long until the next step?</h2>
    <p v-if="compound" class="soft">This wait is {{ step.for }}. Choose a new length to replace it.</p>
    <label class="line"
      ><span>Wait</span>
      <InputNumber
        :value="span.number"
        :min="0"
        :max="999"
        aria-label="How many"
        @change="(n) => setSpan(Number(n ?? 0), span.unit)"
      />
      <Select
        v-named="'Days, hours or minutes'"
        :value="span.unit"
        :options="[
          { value: 'M', label: 'minutes' },
          { value: 'H', label: 'hours' },
          { value: 'D', label: 'days' },
          { value: 'W', label: 'weeks' },
        ]"
        style="width: 110px"
        @change="(unit) => setSpan(Math.max(1, span.number), unit as Unit)"
      />
    </label>
    <label class="line"
      ><span>then until</span>
      <ClockInput
        :model-value="step.at ?? null"
        empty
        label="Time of day"
        @update:model-value="(at) => (step = { ...step, at })"
      />
      <button v-if="step.at" class="link" @click="step = { ...step, at: null }">any time</button>
    </label>
    <fieldset>
      <legend class="label">on these days (none ticked: any day)</legend>
      <CheckboxGroup
        :value="step.days ?? []"
        :options="WEEKDAYS.map(([value, label]) => ({ value, label: label.slice(0, 3) }))"
        @change="(days) => setDays(days as string[])"
      />
    </fieldset>
    <fieldset>
      <legend class="label">on whose clock</legend>
      <RadioGroup
        :value="step.zone ?? 'student'"
        :options="[
          { value: 'student', label: 'the student’s' },
          { value: 'school', label: 'the school’s' },
        ]"
        @change="(e) => (step = { ...step, zone: e.target.value })"
      />
    </fieldset>
    <fieldset>
      <legend class="label">counted from</legend>
      <RadioGroup
        :value="step.since ?? 'previous'"
        :options="[
          { value: 'previous', label: 'the step before' },
          { value: 'start', label: 'the start of the sequence' },
        ]"
        @change="(e) => (step = { ...step, since: e.target.value })"
      />
    </fieldset>
  </div>
</template>

<style scoped>
.panel {
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
}
.line > span {
  width: 70px;
}
fieldset {
  border: 0;
  margin: 0;
  padding: 0;
}
legend {
  margin-bottom: 4px;
}
</style>
