<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import StudentPick from "../parts/StudentPick.vue";
import ThingPick from "../parts/ThingPick.vue";

/** What one student would be told if something happened now, played by the engine; nothing is posted. */
type Do = Api["WhatIfIn"]["do"];
const KINDS: { value: Do; label: string; about: string }[] = [
  { value: "nothing", label: "does nothing more", about: "" },
  { value: "buy", label: "buys", about: "offer" },
  { value: "enrol", label: "is enrolled in", about: "course" },
  { value: "complete", label: "finishes the lesson", about: "lesson" },
  { value: "fail_quiz", label: "fails the quiz", about: "quiz" },
  { value: "pass_quiz", label: "passes the quiz", about: "quiz" },
  { value: "finish_module", label: "finishes the module", about: "module" },
  { value: "finish_course", label: "finishes the course", about: "course" },
  { value: "refund", label: "gets their money back for", about: "offer" },
  { value: "tag", label: "gets the tag", about: "tag" },
];
const student = ref("");
const deed = ref<Do>("nothing");
const object = ref<string | undefined>("");
const about = computed(() => KINDS.find((one) => one.value === deed.value)?.about ?? "");
const body = computed(() => ({
  student: student.value,
  do: deed.value,
  object: about.value ? (object.value ?? "") : "",
}));
const ready = computed(() => student.value !== "" && (!about.value || Boolean(object.value)));
const { data: found, error } = useQuery({
  queryKey: ["what-if", body],
  queryFn: () => data(api.POST("/api/who-is-told/student", { body: body.value })),
  enabled: ready,
  placeholderData: keepPreviousData,
  retry: false,
});
function choose(now: unknown): void {
  deed.value = now as Do;
  object.value = "";
}
const parts = computed(() => [
  { id: "follows", title: "Then this goes out", letters: found.value?.follows ?? [] },
  { id: "instead", title: "and this no longer does", letters: found.value?.instead ?? [] },
  {
    id: "anyway",
    title: deed.value === "nothing" ? "This goes out" : "and this does in any case",
    letters: found.value?.anyway ?? [],
  },
]);
</script>

<template>
  <section class="sheet try" aria-label="For one student">
    <p class="line">
      <b>If</b> <StudentPick v-model="student" label="Which student" />
      <Select
        v-named="'does what'"
        :value="deed"
        :options="KINDS"
        show-search
        option-filter-prop="label"
        class="deed"
        @change="choose"
      />
      <ThingPick v-if="about" :key="deed" v-model="object" :kind="about" :label="`Which ${about}`" class="thing" />
      <span>now,</span> what are they told?
    </p>
    <p v-if="ready && error" class="wrong" role="alert">{{ error.message }}</p>
    <div v-else-if="ready && found" class="answer" data-testid="told-one">
      <p v-if="found.happens.length" class="soft">{{ found.happens.join(" · ") }}</p>
      <p v-else-if="deed !== 'nothing'" class="soft">Nothing changes by it: that is so already.</p>
      <template v-for="part in parts" :key="part.id">
        <template v-if="part.letters.length">
          <h3>{{ part.title }}</h3>
          <ul :class="part.id">
            <li v-for="(one, at) in part.letters" :key="at">
              <span class="postmark when">{{ one.at }}</span>
              <span
                >{{ one.letter }}<template v-if="one.to !== 'them'">, to {{ one.to }}</template>
                <RouterLink v-if="one.sequence" :to="`/sequences/${one.sequence_key}`" class="label">{{
                  one.sequence
                }}</RouterLink><span v-if="one.why_not" class="warn"> Not posted: {{ one.why_not }}</span></span
              >
            </li>
          </ul>
        </template>
      </template>
      <p v-if="!parts.some((part) => part.letters.length)">
        They are told nothing in the next {{ found.days }} days, if they do nothing more.
      </p>
      <p v-for="line in found.not_begun" :key="line" class="soft">{{ line }}</p>
    </div>
  </section>
</template>

<style scoped>
.try {
  padding: 12px 18px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 0;
}
.deed {
  min-width: 190px;
}
.thing {
  width: 220px;
}
.answer {
  margin-top: 10px;
  border-top: 1px solid var(--rule2);
  padding-top: 8px;
}
h3 {
  margin-top: 8px;
}
p {
  margin: 4px 0;
}
ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 10px;
  padding: 2px 0;
}
.instead li > span:last-child {
  text-decoration: line-through;
  color: var(--soft);
}
.when {
  color: var(--soft);
}
.wrong {
  color: var(--red);
}
.warn {
  color: var(--warn);
}
@media (max-width: 720px) {
  li {
    grid-template-columns: minmax(0, 1fr);
    gap: 0;
  }
}
</style>
