<script setup lang="ts">
import { computed } from "vue";

import type { Api } from "../api/client";
import DifferenceLine from "./DifferenceLine.vue";
import ShareBars from "./ShareBars.vue";

/** Which of two to four letters does better: a sentence each, then the shares and the difference to the first one. */
const props = defineProps<{ found: Api["ComparedOut"] }>();
const WHAT: Record<string, string> = {
  opened: "Opened",
  clicked: "Clicked",
  answered: "Answered",
  goal: "The goal of the trial",
};
const bars = (one: Api["Compared"]) =>
  one.versions.map((version) => ({
    key: version.letter,
    label: version.name,
    share: version.share,
    counts: [],
    note: `${version.number} of ${version.of}`,
  }));
const ranges = (one: Api["Against"]) => [
  ...(one.always
    ? [{ label: "However often you look", ...one.always, words: one.always.words ?? "", strong: true }]
    : []),
  ...(one.once ? [{ label: "Looked at this once only", ...one.once, words: one.once.words ?? "" }] : []),
];
const items = computed(() => props.found.items);
</script>

<template>
  <p v-if="!items.length" class="soft">Nothing has come of them yet.</p>
  <section v-for="one in items" :key="one.what" class="told">
    <h3>{{ WHAT[one.what] }}</h3>
    <p v-for="other in one.against" :key="other.letter" class="answer">{{ other.answer }}</p>
    <ShareBars :caption="`${WHAT[one.what]}: the share of those who got each letter`" :bars="bars(one)" />
    <DifferenceLine
      v-for="other in one.against"
      :key="other.letter"
      :ranges="ranges(other)"
      worse="fewer"
      better="more"
    />
  </section>
</template>

<style scoped>
.told {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 10px 0 14px;
  border-bottom: 1px solid var(--rule2);
}
h3,
p {
  margin: 0;
}
.answer {
  font: 600 16px/1.4 var(--title);
}
</style>
