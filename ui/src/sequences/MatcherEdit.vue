<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { computed, nextTick, ref } from "vue";

import type { Matcher } from "../api/school-file";
import { useAbout } from "../parts/about";
import EventPick from "./EventPick.vue";
import { kindOf, turned } from "./matchers";
import MatcherRow from "./MatcherRow.vue";

/** A list of events, any of which will do. */
const matchers = defineModel<Matcher[]>({ required: true });
const props = defineProps<{ label: string; first?: string }>();
const about = useAbout();
const change = (index: number, matcher: Matcher) =>
  (matchers.value = matchers.value.map((found, at) => (at === index ? matcher : found)));
const asking = ref(false);
const rows = ref<HTMLElement>();
function add(on: string): void {
  asking.value = false;
  const takes = kindOf(on)?.selectors.some((selector) => selector.name === "course");
  const course = takes && about.value ? { course: about.value } : {};
  matchers.value = [...matchers.value, turned({ on, ...course }, on)];
  // The keyboard goes on with what was chosen.
  void nextTick(() => rows.value?.querySelector<HTMLElement>(".one:last-of-type input")?.focus());
}
// What it begins with is asked at once; a reason to leave has a usual first.
const choosing = computed(() => asking.value || (!matchers.value.length && !props.first));
</script>

<template>
  <div ref="rows" class="matchers">
    <div v-for="(matcher, index) in matchers" :key="index" class="one">
      <span class="soft">{{ index ? "or" : "When a student" }}</span>
      <MatcherRow :model-value="matcher" @update:model-value="(now) => change(index, now)" />
      <Button type="text" size="small" @click="matchers = matchers.filter((_, at) => at !== index)">Remove</Button>
    </div>
    <EventPick v-if="choosing" @pick="add" />
    <Button v-else size="small" @click="first && !matchers.length ? add(first) : (asking = true)">{{ label }}</Button>
  </div>
</template>

<style scoped>
.matchers {
  width: min(400px, 80vw);
  display: flex;
  flex-direction: column;
  gap: 14px;
  align-items: flex-start;
  max-height: 60vh;
  overflow-y: auto;
  padding: 2px;
}
.one {
  display: flex;
  flex-direction: column;
  gap: 6px;
  width: 100%;
  align-items: flex-start;
}
</style>
