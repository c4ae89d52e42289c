<script setup lang="ts">
import CheckboxGroup from "ant-design-vue/es/checkbox/Group";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import DurationInput from "../parts/DurationInput.vue";
import StudentsPick from "../parts/StudentsPick.vue";
import ThingPick from "../parts/ThingPick.vue";
import type { Condition } from "./conditions";
import DateInput from "../parts/DateInput.vue";

/** What one condition asks for, after its kind. */
const condition = defineModel<Condition>({ required: true });
const props = defineProps<{ inside?: boolean }>();
const is = computed(() => condition.value.is as string);
const number = (name: string) => condition.value[name] as number | undefined;
const text = (name: string) => condition.value[name] as string | undefined;
function set(name: string, value: unknown): void {
  const { [name]: _, ...rest } = condition.value;
  condition.value = value === null || value === undefined || value === "" ? rest : { ...rest, [name]: value };
}
const thisOne = (kind: string) => (props.inside ? [{ value: "this", label: `this ${kind}` }] : []);
const STATUS = [
  { value: "active", label: "active" },
  { value: "completed", label: "finished" },
  { value: "preview", label: "preview" },
  { value: "expired", label: "access over" },
  { value: "refunded", label: "refunded" },
];
const what = computed(() => ["course", "module", "lesson"].find((name) => condition.value[name]) ?? "course");
const side = computed(() => (condition.value.before ? "before" : "after"));
const how = computed(() =>
  "equals" in condition.value && condition.value.equals !== null
    ? "equals"
    : "contains" in condition.value && condition.value.contains !== null
      ? "contains"
      : condition.value.filled === false
        ? "empty"
        : "filled",
);
const setTaken = (times: string | number | null) => set("taken", Number(times) > 1 ? Number(times) : null);
function ask(kind: string): void {
  const name = text("name") ?? "";
  condition.value = {
    is: "field",
    name,
    ...(kind === "filled" ? { filled: true } : kind === "empty" ? { filled: false } : { [kind]: "" }),
  };
}
</script>

<template>
  <template v-if="['enrolled', 'inactive'].includes(is)">
    <ThingPick
      :model-value="text('course')"
      kind="course"
      label="Which course"
      :also="[{ value: 'any', label: 'any course' }, ...thisOne('course')]"
      @update:model-value="(v) => set('course', v)"
    />
    <CheckboxGroup
      v-if="is === 'enrolled'"
      :value="(condition.status as string[] | undefined) ?? ['active', 'completed']"
      :options="STATUS"
      @change="(v) => v.length && set('status', v)"
    />
    <label v-else class="line"
      >for
      <DurationInput
        :model-value="text('for')"
        :least="1"
        label="For how long"
        @update:model-value="(v) => set('for', v)"
    /></label>
  </template>
  <template v-else-if="is === 'completed'">
    <Select
      v-named="'Course, module or lesson'"
      :value="what"
      :options="[
        { value: 'course', label: 'a course' },
        { value: 'module', label: 'a module' },
        { value: 'lesson', label: 'a lesson' },
      ]"
      @change="(v) => (condition = { is: 'completed', [String(v)]: inside ? 'this' : '' })"
    />
    <ThingPick
      :model-value="text(what)"
      :kind="what"
      :label="`Which ${what}`"
      :also="thisOne(what)"
      @update:model-value="(v) => set(what, v)"
    />
  </template>
  <template v-else-if="is === 'progress'">
    <ThingPick
      :model-value="text('course')"
      kind="course"
      label="Which course"
      :also="thisOne('course')"
      @update:model-value="(v) => set('course', v)"
    />
    <span class="line"
      >from
      <InputNumber
        :value="number('at_least')"
        :min="0"
        :max="100"
        aria-label="At least percent"
        @change="(v) => set('at_least', v)"
      />
      to
      <InputNumber
        :value="number('at_most')"
        :min="0"
        :max="100"
        aria-label="At most percent"
        @change="(v) => set('at_most', v)"
      />
      %</span
    >
  </template>
  <template v-else-if="is === 'quiz'">
    <ThingPick
      :model-value="text('quiz')"
      kind="quiz"
      label="Which quiz"
      :also="thisOne('quiz')"
      @update:model-value="(v) => set('quiz', v)"
    />
    <Select
      v-named="'Result'"
      :value="text('result')"
      :options="[
        { value: 'passed', label: 'passed' },
        { value: 'failed', label: 'failed, never passed' },
        { value: 'not_taken', label: 'not taken' },
      ]"
      @change="(v) => (condition = { is: 'quiz', quiz: text('quiz') ?? '', result: String(v) })"
    />
    <label v-if="text('result') !== 'not_taken'" class="line">
      taken at least
      <InputNumber :value="number('taken') ?? 1" :min="1" :max="1000" aria-label="Taken at least" @change="setTaken" />
      {{ (number("taken") ?? 1) === 1 ? "time" : "times" }}
    </label>
  </template>
  <ThingPick
    v-else-if="is === 'certified'"
    :model-value="text('course')"
    kind="course"
    label="Which course"
    :also="thisOne('course')"
    @update:model-value="(v) => set('course', v)"
  />
  <template v-else-if="is === 'bought'">
    <ThingPick
      :model-value="text('offer')"
      kind="offer"
      label="Which offer"
      :also="[{ value: 'any', label: 'any offer' }]"
      @update:model-value="(v) => set('offer', v)"
    />
    <label class="line"
      >in the last
      <DurationInput
        :model-value="text('within') ?? null"
        label="In the last"
        @update:model-value="(v) => set('within', v)"
      />
      (0: ever)</label
    >
  </template>
  <ThingPick
    v-else-if="is === 'tagged'"
    :model-value="text('tag')"
    kind="tag"
    label="Which tag"
    make
    @update:model-value="(v) => set('tag', v)"
  />
  <ThingPick
    v-else-if="['inside', 'finished', 'been_inside'].includes(is)"
    :model-value="text('sequence')"
    kind="sequence"
    label="Which sequence"
    @update:model-value="(v) => set('sequence', v)"
  />
  <template v-else-if="['sent', 'opened', 'clicked'].includes(is)">
    <ThingPick
      :model-value="text('letter')"
      kind="letter"
      label="Which letter"
      @update:model-value="(v) => set('letter', v)"
    />
    <label class="line"
      >in the last
      <DurationInput
        :model-value="text('within') ?? null"
        label="In the last"
        @update:model-value="(v) => set('within', v)"
      />
      (0: ever)</label
    >
  </template>
  <span v-else-if="is === 'joined'" class="line">
    <Select
      v-named="'Before or after'"
      :value="side"
      :options="[
        { value: 'after', label: 'after' },
        { value: 'before', label: 'before' },
      ]"
      style="width: 90px"
      @change="(v) => (condition = { is: 'joined', [String(v)]: text(side) })"
    />
    <DateInput :model-value="text(side) ?? null" label="Date" @update:model-value="(date) => set(side, date)" />
  </span>
  <StudentsPick
    v-else-if="is === 'student'"
    :model-value="condition.keys as string[]"
    label="Which students"
    @update:model-value="(keys) => (condition = { is: 'student', keys })"
  />
  <template v-else-if="is === 'field'">
    <ThingPick
      :model-value="text('name')"
      kind="field"
      label="Which field"
      make
      @update:model-value="(v) => set('name', v)"
    />
    <span class="line"
      ><Select
        v-named="'How'"
        :value="how"
        :options="[
          { value: 'filled', label: 'has a value' },
          { value: 'empty', label: 'has no value' },
          { value: 'equals', label: 'is' },
          { value: 'contains', label: 'contains' },
        ]"
        style="width: 130px"
        @change="(v) => ask(String(v))" />
      <Input
        v-if="how === 'equals' || how === 'contains'"
        :value="String(condition[how] ?? '')"
        aria-label="Value"
        @change="(e: Event) => (condition = { ...condition, [how]: (e.target as HTMLInputElement).value })"
    /></span>
  </template>
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
</style>
