<script setup lang="ts">
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Segmented from "ant-design-vue/es/segmented";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";
import WallInput from "../parts/WallInput.vue";

import type { Api } from "../api/client";
import type { Block } from "../api/school-file";
import { useThings } from "../api/things";
import PicturePick from "../parts/PicturePick.vue";
import AnswersEdit from "./AnswersEdit.vue";
import BlockList from "./BlockList.vue";
import FieldText from "./FieldText.vue";

/** What stands in one block. */
const block = defineModel<Block>({ required: true });
defineProps<{
  number: number;
  place: string;
  fields: Api["MergeFieldOut"][];
  findings: Api["FindingOut"][];
  hidden: string[];
  course: string | null;
  keys: string[];
}>();
const emit = defineEmits<{ mend: [one: Api["FindingOut"]] }>();
const { options } = useThings();
const set = (part: object) => (block.value = { ...block.value, ...part } as Block);
const typed = (event: Event) => (event.target as HTMLInputElement).value;
/** One list of what a card can show: the course the letter is about, a course, an offer with its price. */
const cards = computed(() => [
  { value: "course:this", label: "The course the letter is about" },
  ...(options.value.course ?? []).map((one) => ({ value: `course:${one.value}`, label: one.label })),
  ...(options.value.offer ?? []).map((one) => ({
    value: `offer:${one.value}`,
    label: `Offer: ${one.label}, with its price`,
  })),
]);
const card = computed(() =>
  block.value.kind === "course_card"
    ? block.value.offer
      ? `offer:${block.value.offer}`
      : `course:${block.value.course ?? "this"}`
    : "",
);
function choose(value: string): void {
  const [kind, ...rest] = value.split(":");
  const key = rest.join(":");
  set(kind === "offer" ? { offer: key, course: null } : { offer: null, course: key });
}
</script>

<template>
  <FieldText
    v-if="block.kind === 'text'"
    :model-value="block.html"
    lines
    :label="`Text ${number}`"
    :fields="fields"
    @update:model-value="(html) => set({ html })"
  />
  <div v-else-if="block.kind === 'button'" class="grid">
    <span class="label">says</span
    ><FieldText
      :model-value="block.label"
      label="Button text"
      :fields="fields"
      @update:model-value="(label) => set({ label })"
    />
    <span class="label">leads to</span
    ><FieldText
      :model-value="block.url"
      label="Button address"
      :fields="fields"
      @update:model-value="(url) => set({ url })"
    />
  </div>
  <div v-else-if="block.kind === 'picture'" class="grid">
    <span class="label">picture</span
    ><PicturePick
      :model-value="block.url || null"
      label="picture of the letter"
      @update:model-value="(url) => set({ url: url ?? '' })"
    />
    <span class="label">in words</span
    ><FieldText
      :model-value="block.alt"
      label="Picture in words"
      :fields="fields"
      @update:model-value="(alt) => set({ alt })"
    />
    <span class="label">leads to</span
    ><FieldText
      :model-value="block.link ?? ''"
      label="Picture link"
      :fields="fields"
      @update:model-value="(link) => set({ link: link || null })"
    />
  </div>
  <div v-else-if="block.kind === 'course_card'" class="grid">
    <span class="label">shows</span
    ><Select
      v-named="'What the card shows'"
      :value="card"
      :options="cards"
      show-search
      option-filter-prop="label"
      @change="(value) => choose(String(value))"
    />
    <span class="label">button</span
    ><FieldText
      :model-value="block.label"
      label="Card button"
      :fields="fields"
      @update:model-value="(label) => set({ label })"
    />
  </div>
  <div v-else-if="block.kind === 'next_lesson'" class="grid">
    <span class="label">button</span
    ><FieldText
      :model-value="block.label"
      label="Lesson button"
      :fields="fields"
      @update:model-value="(label) => set({ label })"
    />
  </div>
  <div v-else-if="block.kind === 'event'" class="grid">
    <span class="label">what</span
    ><FieldText
      :model-value="block.title"
      label="What takes place"
      :fields="fields"
      @update:model-value="(title) => set({ title })"
    />
    <span class="label">when</span
    ><span class="inline"
      ><WallInput
        :model-value="block.at"
        day="Date of it"
        time="Time of it"
        @update:model-value="(at) => set({ at })"
      />
      school time, for
      <InputNumber
        :value="block.minutes"
        :min="1"
        :max="10080"
        aria-label="Minutes it lasts"
        class="minutes"
        @change="(n) => n && set({ minutes: Number(n) })"
      />
      minutes</span
    >
    <span class="label">where</span
    ><Input
      :value="block.place"
      aria-label="Where"
      placeholder="Online, or a place"
      @change="(e: Event) => set({ place: typed(e) })"
    />
    <span class="label">link to join</span
    ><Input
      :value="block.url"
      aria-label="Link to join"
      placeholder="a web address"
      @change="(e: Event) => set({ url: typed(e) })"
    />
  </div>
  <div v-else-if="block.kind === 'certificate'" class="soft plain">
    <p>The student's own certificate as a picture, leading to their page of it.</p>
    <Checkbox :checked="Boolean(block.claim)" @change="(e) => set({ claim: e.target.checked })"
      >also for those who have none: a button to ask for it</Checkbox
    >
    <p>
      {{ block.claim ? "Who is not through reads what is still open." : "Without a certificate the letter waits." }}
    </p>
  </div>
  <p v-else-if="block.kind === 'signature'" class="soft plain">
    As it stands in <RouterLink to="/school#signature">School</RouterLink>, or in the layout.
  </p>
  <hr v-else-if="block.kind === 'divider'" />
  <Segmented
    v-else-if="block.kind === 'space'"
    :value="block.size"
    :options="['small', 'medium', 'large']"
    size="small"
    aria-label="How much space"
    @change="(size) => set({ size })"
  />
  <textarea
    v-else-if="block.kind === 'note'"
    :value="block.text"
    rows="2"
    :aria-label="`Note ${number}`"
    placeholder="For your eyes only: what is still to be done here"
    @input="set({ text: typed($event) })"
  />
  <AnswersEdit
    v-else-if="block.kind === 'answers'"
    :model-value="block"
    :fields="fields"
    @update:model-value="(now) => (block = now)"
  />
  <div v-else-if="block.kind === 'columns'" class="columns">
    <div v-for="side in ['left', 'right'] as const" :key="side" class="column">
      <span class="label">{{ side }}</span>
      <BlockList
        :model-value="block[side]"
        :place="`${place}/${side}`"
        :fields="fields"
        :findings="findings"
        :hidden="hidden"
        :course="course"
        :keys="keys"
        inner
        @update:model-value="(now) => set({ [side]: now })"
        @mend="(one) => emit('mend', one)"
      />
    </div>
  </div>
</template>

<style scoped>
.inline {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.minutes {
  width: 80px;
}
.grid {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 8px 10px;
  align-items: center;
  background: var(--sheet2);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 10px;
}
.plain a {
  text-decoration: underline;
}
.plain {
  margin: 0;
  padding: 8px 10px;
  background: var(--sheet2);
  border: 1px solid var(--rule);
  border-radius: 6px;
}
hr {
  border: 0;
  border-top: 1px solid var(--rule);
  margin: 6px 0;
}
textarea {
  width: 100%;
  border: 1px dashed var(--warn-mark);
  border-radius: 6px;
  background: var(--warn-bg);
  padding: 8px 11px;
  font: inherit;
  color: var(--ink);
  resize: vertical;
}
.columns {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
  background: var(--sheet2);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 10px;
}
.column {
  min-width: 0;
}
@media (max-width: 1100px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
