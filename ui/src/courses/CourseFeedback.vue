<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import { computed, reactive } from "vue";

import KeptFile from "../parts/KeptFile.vue";
import { rooted } from "../api/base";
import { api, type Api, data } from "../api/client";
import PageLinks from "../parts/PageLinks.vue";
import EmptyState from "../parts/EmptyState.vue";
import DraftEnding from "./DraftEnding.vue";

/** What students who finished a course think of it: how many gave which answer, over time, and their words. */
const props = defineProps<{ id: string; certificate: boolean }>();
const asked = reactive({ page: 1, with_words: false });
const { data: found, error } = useQuery({
  queryKey: ["feedback", computed(() => props.id), asked],
  queryFn: () =>
    data(api.GET("/api/courses/{key}/feedback", { params: { path: { key: props.id }, query: { ...asked } } })),
  placeholderData: keepPreviousData,
});
const NAMES = ["1", "2", "3", "4", "5"];
const most = computed(() => Math.max(1, ...(found.value?.figures.counts ?? [])));
const share = (one: Api["ShareOut"]) => (one.whole ? `${one.percent}%` : "–");
const range = (one: Api["ShareOut"]) =>
  `${one.part} of ${one.whole} · ${one.low}–${one.high}% likely range${one.small ? " (few)" : ""}`;
</script>

<template>
  <div v-if="found" class="room">
    <EmptyState v-if="!found.figures.glad.whole" title="No feedback yet"
      >A letter asks for it with an answers block whose answers count from 1 to 5.
      <template v-if="certificate && !found.has_ending"
        >The end of the course can be drafted for you: certificate, feedback a week later, the next course.</template
      ><template v-else-if="found.answered.whole"
        >{{ found.answered.whole }} {{ found.answered.whole === 1 ? "student was" : "students were" }} asked so
        far.</template
      ><DraftEnding v-if="certificate && !found.has_ending" :id="id" class="draft"
    /></EmptyState>
    <template v-else>
      <div class="top">
        <section class="sheet figure">
          <span class="label">Glad (4 or 5)</span><b class="postmark">{{ share(found.figures.glad) }}</b
          ><span class="label">{{ range(found.figures.glad) }}</span>
        </section>
        <section class="sheet figure">
          <span class="label">On average</span><b class="postmark">{{ found.figures.mean }}</b
          ><span class="label">of 5</span>
        </section>
        <section class="sheet figure">
          <span class="label">Answered</span><b class="postmark">{{ share(found.answered) }}</b
          ><span class="label">{{ range(found.answered) }}</span>
        </section>
        <section class="sheet spread">
          <table>
            <caption class="visually-hidden">
              How many gave which answer
            </caption>
            <tbody>
              <tr v-for="(name, at) in [...NAMES].reverse()" :key="name">
                <th class="postmark">{{ name }}</th>
                <td class="bar" aria-hidden="true">
                  <i :style="{ width: `${(100 * (found.figures.counts[4 - at] ?? 0)) / most}%` }" />
                </td>
                <td class="postmark">{{ found.figures.counts[4 - at] }}</td>
              </tr>
            </tbody>
          </table>
        </section>
      </div>
      <section v-if="found.months.length > 1">
        <h2>Over time</h2>
        <table class="months">
          <thead>
            <tr>
              <th>Month</th>
              <th>Glad</th>
              <th><span class="visually-hidden">its range</span></th>
              <th>Average</th>
              <th>Answers</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in found.months" :key="one.month">
              <td>{{ one.words }}</td>
              <td class="postmark">{{ share(one.figures.glad) }}</td>
              <td class="span" :aria-label="`between ${one.figures.glad.low} and ${one.figures.glad.high} percent`">
                <i
                  :style="{
                    left: `${one.figures.glad.low}%`,
                    width: `${Math.max(1, one.figures.glad.high - one.figures.glad.low)}%`,
                  }"
                /><b :style="{ left: `${one.figures.glad.percent}%` }" />
              </td>
              <td class="postmark">{{ one.figures.mean }}</td>
              <td class="postmark">{{ one.figures.glad.whole }}{{ one.figures.glad.small ? " (few)" : "" }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section>
        <header>
          <h2>In their words</h2>
          <Checkbox v-model:checked="asked.with_words" @change="asked.page = 1">only those who wrote something</Checkbox
          ><KeptFile :href="rooted(`/api/courses/${encodeURIComponent(id)}/feedback.csv`)"
            ><Button size="small">CSV</Button></KeptFile
          >
        </header>
        <ul class="sheet words">
          <li v-for="one in found.opinions" :key="one.student + one.at">
            <b class="postmark">{{ one.value }}</b>
            <div>
              <template v-if="one.words">“{{ one.words }}”</template><span v-else class="soft">no words</span>
              <div class="label">
                <RouterLink :to="`/students/${one.student}`"
                  ><bdi>{{ one.student_name }}</bdi></RouterLink
                >
                · {{ one.at }}
              </div>
            </div>
          </li>
        </ul>
        <p v-if="!found.opinions.length" class="soft">Nobody has written anything yet.</p>
        <PageLinks v-model="asked.page" :total="found.total" />
      </section>
      <p class="soft small">
        Everybody counts once, with their newest answer. The range is where the true share lies in 95 of 100 such cases.
      </p>
    </template>
  </div>
  <EmptyState v-else-if="error" title="This can't be shown">{{ error.message }}</EmptyState>
</template>

<style scoped>
.room {
  padding: 18px 22px 40px;
  display: flex;
  flex-direction: column;
  gap: 18px;
  overflow: auto;
  max-width: 980px;
}
.top {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
  gap: 12px;
}
.figure {
  padding: 10px 14px;
  display: flex;
  flex-direction: column;
}
.figure b {
  font-size: 26px;
  line-height: 1.3;
}
.spread {
  padding: 8px 14px;
}
.spread table {
  width: 100%;
  border-collapse: collapse;
}
.spread th {
  width: 18px;
  text-align: left;
}
.spread td:last-child {
  width: 34px;
  text-align: right;
}
.bar {
  height: 19px;
  position: relative;
}
.bar i {
  position: absolute;
  left: 0;
  top: 4px;
  height: 11px;
  background: #38699c;
  border-radius: 2px;
  min-width: 2px;
}
.months {
  border-collapse: collapse;
  width: 100%;
  max-width: 680px;
}
.months th {
  text-align: left;
  font-weight: 500;
  font-size: 12.5px;
  color: var(--soft);
  padding: 2px 12px 4px 0;
}
.months td {
  padding: 4px 14px 4px 0;
  white-space: nowrap;
}
.span {
  width: 50%;
  position: relative;
  height: 22px;
}
.span i {
  position: absolute;
  top: 9px;
  height: 5px;
  background: #c3d4e2;
  border-radius: 3px;
}
.span b {
  position: absolute;
  top: 6px;
  width: 3px;
  height: 11px;
  background: #1b4f8a;
  margin-left: -1px;
}
header {
  display: flex;
  gap: 16px;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 8px;
}
.words {
  list-style: none;
  margin: 0;
  padding: 0 14px;
}
.words li {
  display: grid;
  grid-template-columns: 22px minmax(0, 1fr);
  padding: 9px 0;
  border-top: 1px solid var(--rule2);
  overflow-wrap: anywhere;
}
.words li:first-child {
  border-top: 0;
}
.small {
  font-size: 12.5px;
  margin: 0;
}
.draft {
  margin-top: 12px;
}
</style>
