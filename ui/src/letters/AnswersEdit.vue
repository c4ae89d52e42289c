<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";

import type { Api } from "../api/client";
import type { Block } from "../api/school-file";
import { useThings } from "../api/things";
import { freeKey } from "../parts/keys";
import AnswerDoes from "./AnswerDoes.vue";
import FieldText from "./FieldText.vue";

type Answers = Extract<Block, { kind: "answers" }>;
/** A question with answer links: each records what the student chose, and may put tags on. */
const block = defineModel<Answers>({ required: true });
defineProps<{ fields: Api["MergeFieldOut"][] }>();
const { options } = useThings();
const change = (at: number, fields: Partial<Answers["answers"][number]>) =>
  (block.value = {
    ...block.value,
    answers: block.value.answers.map((one, index) => (index === at ? { ...one, ...fields } : one)),
  });
const add = () =>
  (block.value = {
    ...block.value,
    answers: [
      ...block.value.answers,
      {
        key: freeKey(
          "answer",
          block.value.answers.map((one) => one.key),
        ),
        label: "",
        add_tags: [],
        remove_tags: [],
        stops_help: false,
        leaves: false,
        page: null,
        url: null,
      },
    ],
  });
</script>

<template>
  <div class="answers">
    <FieldText
      :model-value="block.question"
      label="Question"
      :fields="fields"
      @update:model-value="(question) => (block = { ...block, question })"
    />
    <div v-for="(one, at) in block.answers" :key="one.key" class="one">
      <Input
        :value="one.label"
        :aria-label="`Answer ${at + 1}`"
        placeholder="what the student clicks"
        @change="(e: Event) => change(at, { label: (e.target as HTMLInputElement).value })"
      />
      <Select
        v-named="`Tags for answer ${at + 1}`"
        mode="tags"
        :value="one.add_tags"
        :options="options.tag"
        placeholder="adds no tag"
        @change="(tags) => change(at, { add_tags: tags as string[] })"
      />
      <Button
        size="small"
        type="text"
        :disabled="block.answers.length < 2"
        @click="block = { ...block, answers: block.answers.filter((_, index) => index !== at) }"
        >Remove</Button
      >
      <AnswerDoes :model-value="one" :number="at + 1" class="more" @update:model-value="(now) => change(at, now)" />
    </div>
    <div class="foot">
      <Button size="small" @click="add">Add an answer</Button
      ><Checkbox :checked="block.beside ?? false" @change="(e) => (block = { ...block, beside: e.target.checked })"
        >beside each other, where there is room</Checkbox
      >
    </div>
  </div>
</template>

<style scoped>
.answers {
  display: flex;
  flex-direction: column;
  gap: 7px;
  align-items: stretch;
}
.one {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) auto;
  gap: 8px;
  align-items: center;
}
.answers > .ant-btn {
  align-self: flex-start;
}
.foot {
  display: flex;
  gap: 14px;
  align-items: center;
}
.more {
  grid-column: 1 / -1;
}
</style>
