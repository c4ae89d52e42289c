<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref } from "vue";

import { api, data } from "../api/client";
import ConditionEdit from "../conditions/ConditionEdit.vue";
import type { Condition } from "../conditions/conditions";
import { shownAs } from "../parts/shown-as";

/** Who sees a block: everybody, or those of whom a condition is true when the letter goes out. */
const condition = defineModel<Record<string, unknown> | null>({ required: true });
const props = defineProps<{ hidden: boolean; course: string | null }>();
const open = ref(false);
const current = computed(() => condition.value as Condition | null);
const { data: found } = useQuery({
  queryKey: ["someone", current, computed(() => props.course)],
  queryFn: () =>
    data(api.POST("/api/letters/someone", { body: { condition: current.value ?? {}, course: props.course } })),
  enabled: computed(() => current.value !== null),
  placeholderData: keepPreviousData,
  retry: false,
});
const { data: counts } = useQuery({
  queryKey: ["only-if-words", current, computed(() => props.course)],
  queryFn: () =>
    data(api.POST("/api/audiences/counts", { body: { lines: [current.value ?? {}], course: props.course } })),
  enabled: computed(() => current.value !== null),
  placeholderData: keepPreviousData,
  retry: false,
});
// Of how many “this course” is true can't be said where no course is meant.
const countable = computed(() => props.course !== null || !JSON.stringify(current.value).includes('"this"'));
const words = computed(() => counts.value?.lines[0]?.words ?? "…");
// Nothing is asked until something is chosen: until then everybody sees it.
const begun = ref(false);
function choose(now: Condition | null): void {
  condition.value = now;
  [open.value, begun.value] = [now !== null, now === null && begun.value];
}
</script>

<template>
  <div v-if="condition === null && !begun">
    <button class="link quiet" @click="begun = true">Show only if …</button>
  </div>
  <div v-else-if="condition === null" class="only">
    <div class="line">
      <span class="mark">only if</span><span class="soft">nothing chosen yet: everybody sees it</span
      ><Button size="small" type="text" @click="begun = false">To everyone</Button>
    </div>
    <ConditionEdit :model-value="null" inside @update:model-value="choose" />
  </div>
  <div v-else class="only">
    <div class="line">
      <span class="mark">only if</span
      ><button class="link" :aria-expanded="open" @click="open = !open">{{ words }}</button>
      <span v-if="found && countable" class="soft"
        >{{ found.students }} {{ found.students === 1 ? "student sees" : "students see" }} it now{{
          hidden ? "; the one shown does not" : ""
        }}</span
      >
      <Button v-if="hidden && found?.student" size="small" @click="shownAs = found.student"
        >Show it as one who does</Button
      >
      <Button size="small" type="text" @click="((condition = null), (open = false))">To everyone</Button>
    </div>
    <ConditionEdit v-if="open" v-model="condition as Condition" inside />
  </div>
</template>

<style scoped>
.only {
  display: flex;
  flex-direction: column;
  gap: 8px;
  background: var(--act-bg);
  border-radius: 6px;
  padding: 6px 10px;
  margin-bottom: 6px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.mark {
  font: 600 12.5px var(--title);
  color: var(--act);
}
.quiet {
  font-size: 12.5px;
  text-decoration: none;
}
</style>
