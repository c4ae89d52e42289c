<script setup lang="ts">
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import type { Block } from "../api/school-file";
import { useThings } from "../api/things";

type Answer = Extract<Block, { kind: "answers" }>["answers"][number];
/** What one answer does beside being recorded: said in words, opened to change it. */
const answer = defineModel<Answer>({ required: true });
defineProps<{ number: number }>();
const { options } = useThings();
const set = (fields: Partial<Answer>) => (answer.value = { ...answer.value, ...fields });
const typed = (event: Event) => (event.target as HTMLInputElement).value.trim() || null;
/** What an answer does, in words. */
const does = computed(() => {
  const one = answer.value;
  const found = [
    ...(one.add_tags?.length ? [`puts on ${one.add_tags.join(", ")}`] : []),
    ...(one.remove_tags?.length ? [`takes off ${one.remove_tags.join(", ")}`] : []),
    ...(one.stops_help ? ["stops help with this course"] : []),
    ...(one.leaves ? ["takes the student out of the sequence"] : []),
    ...(one.value ? [`counts ${one.value} of 5`] : []),
    ...(one.ask ? ["asks for words"] : []),
    ...(one.page ? ["shows a page of its own"] : []),
    ...(one.url ? ["goes on to a web page"] : []),
  ];
  return found.length ? `This answer ${found.join(", ")}` : "This answer is recorded, and nothing else";
});
</script>

<template>
  <details>
    <summary>{{ does }}</summary>
    <div class="inside">
      <label
        >Takes off the tags<Select
          v-named="`Tags that answer ${number} takes off`"
          mode="tags"
          :value="answer.remove_tags ?? []"
          :options="options.tag"
          placeholder="takes off no tag"
          @change="(tags) => set({ remove_tags: tags as string[] })"
      /></label>
      <Checkbox :checked="answer.stops_help ?? false" @change="(event) => set({ stops_help: event.target.checked })"
        >Stops help with this course</Checkbox
      >
      <Checkbox :checked="answer.leaves ?? false" @change="(event) => set({ leaves: event.target.checked })"
        >Takes the student out of the sequence</Checkbox
      >
      <label
        >What the student sees afterwards<textarea
          :value="answer.page ?? ''"
          rows="2"
          :aria-label="`Page after answer ${number}`"
          placeholder="Thank you, and what comes next"
          @input="(event: Event) => set({ page: (event.target as HTMLTextAreaElement).value || null })"
        />
      </label>
      <label
        >What they are asked to write about there<Input
          :value="answer.ask ?? ''"
          :aria-label="`Question for words after answer ${number}`"
          placeholder="nothing is asked"
          @change="(event: Event) => set({ ask: typed(event) ?? '' })"
      /></label>
      <label
        >What it counts, when the question is feedback from 1 to 5<Select
          v-named="`What answer ${number} counts`"
          :value="answer.value ?? 0"
          :options="[
            { value: 0, label: 'nothing' },
            ...[1, 2, 3, 4, 5].map((value) => ({ value, label: String(value) })),
          ]"
          style="width: 120px"
          @change="(value) => set({ value: Number(value) || null })"
      /></label>
      <label
        >and where they can go on to<Input
          :value="answer.url ?? ''"
          :aria-label="`Address after answer ${number}`"
          placeholder="nowhere, a web address, or a merge field such as {{ course.review_url }}"
          @change="(event: Event) => set({ url: typed(event) })"
      /></label>
    </div>
  </details>
</template>

<style scoped>
details {
  padding: 0 0 6px 4px;
}
summary {
  cursor: pointer;
  color: var(--soft);
  font-size: 13px;
}
.inside {
  display: flex;
  flex-direction: column;
  gap: 9px;
  padding: 8px 0 4px;
}
label:not(.ant-checkbox-wrapper) {
  display: flex;
  flex-direction: column;
  gap: 3px;
  color: var(--soft);
}
.ant-checkbox-wrapper {
  margin: 0;
}
textarea {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 11px;
  color: var(--ink);
  background: #fff;
  font: inherit;
  resize: vertical;
}
</style>
