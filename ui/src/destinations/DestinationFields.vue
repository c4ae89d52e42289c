<script setup lang="ts">
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";

import { useThings } from "../api/things";
import { GROUPS, type Kind, KINDS } from "./words";

/** What a destination is: its name, its address, what it hears, about which courses. */
export type Destination = { name: string; url: string; kinds: Kind[]; courses: string[] };
const model = defineModel<Destination>({ required: true });
const { options } = useThings();
const set = (part: Partial<Destination>) => (model.value = { ...model.value, ...part });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
function toggle(kind: Kind, on: boolean): void {
  const kinds = KINDS.map(([one]) => one).filter((one) => (one === kind ? on : model.value.kinds.includes(one)));
  set({ kinds });
}
</script>

<template>
  <div class="fields">
    <label
      >What you call it<Input
        :value="model.name"
        :maxlength="100"
        placeholder="My mailing list"
        @input="(e: Event) => set({ name: typed(e) })"
    /></label>
    <label
      >The address it takes messages at<Input
        :value="model.url"
        :maxlength="2000"
        placeholder="https://…"
        @input="(e: Event) => set({ url: typed(e).trim() })"
    /></label>
    <fieldset v-for="group in GROUPS" :key="group.title">
      <legend class="label">{{ group.title }}</legend>
      <Checkbox
        v-for="[kind, says] in group.kinds"
        :key="kind"
        :checked="model.kinds.includes(kind)"
        @change="(e) => toggle(kind, Boolean(e.target.checked))"
        >{{ says }}</Checkbox
      >
    </fieldset>
    <label
      >Only about these courses (empty: all)<Select
        v-named="'Only about these courses'"
        mode="multiple"
        :value="model.courses"
        :options="options.course ?? []"
        option-filter-prop="label"
        placeholder="all courses"
        @change="(now) => set({ courses: (now as string[]) ?? [] })"
    /></label>
    <p v-if="model.courses.length" class="soft">
      What concerns no course, such as tags and news, is told all the same.
    </p>
  </div>
</template>

<style scoped>
.fields {
  container-type: inline-size;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.fields > label {
  display: flex;
  flex-direction: column;
  gap: 3px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 3px 4px;
}
legend {
  padding: 0;
}
fieldset :deep(.ant-checkbox-wrapper) {
  margin-inline-start: 0;
  width: calc(50% - 4px);
}
p {
  margin: 0;
}
</style>
