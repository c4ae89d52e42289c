<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Select from "ant-design-vue/es/select";
import { computed, toRefs } from "vue";

import { rooted } from "../api/base";
import { api, type Api, data } from "../api/client";
import BeingCounted from "../figures/BeingCounted.vue";
import ShareBars, { type Bar } from "../figures/ShareBars.vue";
import ShareCurves from "../figures/ShareCurves.vue";
import { useInAddress } from "../parts/in-address";

/** How a course goes: how long it takes to finish, what a sequence may have to do with it, quizzes after a failure. */
const props = defineProps<{ id: string; worst: Api["StopOut"] | undefined }>();
const emit = defineEmits<{ line: [] }>();
type By = "all" | "month" | "received" | "switched";
const { by, sequence } = toRefs(useInAddress({ by: "all", sequence: "" }));
const asked = computed(() => ({ by: by.value as By, sequence: sequence.value }));
const { data: found, error } = useQuery({
  queryKey: ["finishing", computed(() => props.id), asked],
  queryFn: () =>
    data(api.GET("/api/courses/{key}/figures/finishing", { params: { path: { key: props.id }, query: asked.value } })),
  placeholderData: keepPreviousData,
});
const { data: quizzes } = useQuery({
  queryKey: ["quiz-figures", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/courses/{key}/figures/quizzes", { params: { path: { key: props.id } } })),
});
const ways = computed(() => [
  { value: "all", label: "All students together" },
  { value: "month", label: "By month of enrolment" },
  ...(found.value?.sequences.length
    ? [
        { value: "received", label: "With a sequence and without" },
        { value: "switched", label: "Before a sequence and after" },
      ]
    : []),
]);
const which = computed(() => (found.value?.sequences ?? []).map((one) => ({ value: one.key, label: one.name })));
const csv = computed(() =>
  rooted(`/api/courses/${encodeURIComponent(props.id)}/figures/finishing.csv?${new URLSearchParams(asked.value)}`),
);
const bars = (one: Api["FailedQuiz"]): Bar[] => [
  { key: "helped", label: "A letter came", share: shown(one.helped), counts: [], note: note(one.helped) },
  { key: "held_back", label: "No letter", share: shown(one.alone), counts: [], note: note(one.alone) },
];
const shown = (one: Api["Share"]) => (one.whole ? { value: one.share, low: one.low, high: one.high } : null);
const note = (one: Api["Share"]) => `${one.part} of ${one.whole}${one.small && one.whole ? " (few)" : ""}`;
</script>

<template>
  <div class="sheets">
    <section class="sheet box">
      <p v-if="error" class="warn" role="alert">{{ error.message }}</p>
      <template v-else-if="found">
        <h2 data-testid="finishing">{{ found.words }}</h2>
        <div class="asked">
          <Select v-model:value="by" v-named="'Which groups'" :options="ways" class="which" />
          <Select
            v-if="by === 'received' || by === 'switched'"
            v-named="'Which sequence'"
            :value="sequence || which[0]?.value"
            :options="which"
            class="which"
            @change="(key) => (sequence = String(key))"
          />
          <a :href="csv" download>As CSV</a>
        </div>
        <p v-if="found.note" class="note" role="note">{{ found.note }}</p>
        <ShareCurves
          v-if="found.curves.length"
          :curves="found.curves"
          caption="Share of students who have finished, by days since they enrolled"
          across="days since they enrolled"
        />
        <p class="soft">
          The band is where the true share lies in 95 of 100 such cases. Who is still in the course counts as long as
          they have been there, who got a refund or whose access ended until then; previews are left out.
        </p>
      </template>
      <BeingCounted v-else />
    </section>
    <section v-if="worst" class="sheet box">
      <h2>Where they stop</h2>
      <p>
        Most are silent at “{{ worst.title }}”: {{ worst.silent }} of the {{ worst.here }} who stand there.
        <button class="link" @click="emit('line')">See the whole course line</button>
      </p>
    </section>
    <section v-if="quizzes?.items.length" class="sheet box">
      <h2>After a failed quiz</h2>
      <p class="note" role="note">{{ quizzes.note }}</p>
      <div v-for="one in quizzes.items" :key="one.quiz">
        <h3>{{ one.title }}</h3>
        <ShareBars
          :caption="`Passed within ${one.days} days of the first failure, of those whose ${one.days} days are over`"
          :bars="bars(one)"
        />
      </div>
    </section>
  </div>
</template>

<style scoped>
h3 {
  font-size: 14px;
}
.asked {
  display: flex;
  gap: 14px;
  align-items: center;
  flex-wrap: wrap;
}
.which {
  min-width: 220px;
}
.note {
  background: var(--warn-bg);
  color: var(--warn);
  padding: 6px 12px;
  border-radius: 6px;
}
@media (max-width: 720px) {
  .asked {
    align-items: flex-start;
    flex-direction: column;
  }
}
</style>
