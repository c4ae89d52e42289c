<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Menu from "ant-design-vue/es/menu";
import RadioGroup from "ant-design-vue/es/radio/Group";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import { api, data } from "../api/client";
import { useAbout } from "../parts/about";
import ConditionFields from "./ConditionFields.vue";
import { type Condition, fromLines, GROUPED, KINDS, type Lines, toLines } from "./conditions";

/** Who is meant, line by line. Lines that hold groups of their own are edited the same way, one level in. */
const condition = defineModel<Condition | null>({ required: true });
defineProps<{ inside?: boolean; inner?: boolean }>();
const about = useAbout();
const found = computed(() => toLines(condition.value));
const set = (now: Lines) => (condition.value = fromLines(now));
const change = (index: number, line: { not: boolean; condition: Condition }) =>
  set({ ...found.value, lines: found.value.lines.map((one, at) => (at === index ? line : one)) });
const fresh = (is: string) => KINDS.find((kind) => kind.value === is)?.fresh(about.value ?? "any") ?? {};
// Using an audience copies its conditions.
const { data: audiences } = useQuery({
  queryKey: ["audiences"],
  queryFn: () => data(api.GET("/api/audiences")),
  staleTime: 30_000,
});
const isGroup = (one: Condition) => "all" in one || "any" in one;
const add = (one: Condition) => set({ ...found.value, lines: [...found.value.lines, { not: false, condition: one }] });
</script>

<template>
  <div class="lines" :class="{ inner }">
    <RadioGroup
      v-if="found.lines.length > 1"
      size="small"
      :value="found.mode"
      :options="[
        { value: 'all', label: 'all of these' },
        { value: 'any', label: 'any of these' },
      ]"
      @change="(e) => set({ ...found, mode: e.target.value })"
    />
    <div v-for="(line, index) in found.lines" :key="index" class="line">
      <div class="head">
        <Select
          v-named="'Holds or not'"
          :value="line.not ? 'not' : 'is'"
          size="small"
          :options="[
            { value: 'is', label: 'the student' },
            { value: 'not', label: 'not: the student' },
          ]"
          class="not"
          @change="(v) => change(index, { ...line, not: v === 'not' })"
        />
        <Button
          type="text"
          size="small"
          :aria-label="`Remove condition ${index + 1}`"
          @click="set({ ...found, lines: found.lines.filter((_, at) => at !== index) })"
          >Remove</Button
        >
      </div>
      <ConditionEdit
        v-if="isGroup(line.condition)"
        :model-value="line.condition"
        inner
        :inside="inside"
        @update:model-value="(now) => now && change(index, { ...line, condition: now })"
      />
      <template v-else>
        <Select
          v-named="'What is asked'"
          :value="line.condition.is as string"
          :options="GROUPED"
          show-search
          option-filter-prop="words"
          :get-popup-container="(node: HTMLElement) => node.parentElement ?? node"
          @change="(is) => change(index, { ...line, condition: fresh(String(is)) })"
        />
        <ConditionFields
          :model-value="line.condition"
          :inside="inside"
          @update:model-value="(now) => change(index, { ...line, condition: now })"
        />
      </template>
    </div>
    <div class="more">
      <Button size="small" @click="add(fresh('completed'))">Add a condition</Button>
      <Dropdown v-if="!inner && audiences?.length" :trigger="['click']"
        ><Button size="small" type="text">Use an audience</Button
        ><template #overlay
          ><Menu @click="({ key }) => (condition = audiences?.find((one) => one.key === key)?.condition ?? condition)"
            ><Menu.Item v-for="one in audiences" :key="one.key">{{ one.name }}</Menu.Item></Menu
          ></template
        ></Dropdown
      >
      <Button
        v-if="!inner && found.lines.length"
        size="small"
        type="text"
        @click="add({ any: [fresh('completed'), fresh('tagged')] })"
        >Add a group</Button
      >
    </div>
  </div>
</template>

<style scoped>
.lines {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.inner {
  border-left: 3px solid var(--rule);
  padding-left: 10px;
}
.line {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 8px;
  background: var(--sheet2);
  border: 1px solid var(--rule2);
  border-radius: 6px;
}
.head {
  display: flex;
  justify-content: space-between;
}
.not {
  width: 150px;
}
.more {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
</style>
