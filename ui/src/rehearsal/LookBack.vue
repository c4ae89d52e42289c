<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Progress from "ant-design-vue/es/progress";
import { computed, onMounted, ref } from "vue";

import { api, data } from "../api/client";
import type { Sequence } from "../api/school-file";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import { lettersOf } from "../parts/posted";
import { walk } from "../sequences/tree";

/** The draft played against what really happened in the last days: in the background, with a way to stop it. */
const props = defineProps<{ sequence: Sequence }>();
const days = ref(90);
const id = ref<number | null>(null);
const begin = useAct(
  () =>
    data(
      api.POST("/api/replays", {
        body: { sequence: props.sequence, days: days.value },
      }),
    ),
  { done: (job) => (id.value = job.id), refreshes: [] },
);
const { data: job } = useQuery({
  queryKey: ["replay", id],
  queryFn: () => data(api.GET("/api/replays/{id}", { params: { path: { id: id.value ?? 0 } } })),
  enabled: computed(() => id.value !== null),
  refetchInterval: (query) => (query.state.data?.state === "working" || !query.state.data ? 300 : false),
});
const stop = useMutation({
  mutationFn: () => data(api.DELETE("/api/replays/{id}", { params: { path: { id: id.value ?? 0 } } })),
});
onMounted(() => begin.mutate());
const most = computed(() => Math.max(1, ...(job.value?.result?.days.map((day) => day.letters) ?? [])));
const order = computed(() => [...walk(props.sequence.steps)].map((one) => one.step));
const { things } = useThings();
const names = computed(() => new Map((things.value?.letters ?? []).map((one) => [one.key, one.title])));
const count = (step: string) => job.value?.result?.steps.find((one) => one.step === step)?.letters ?? 0;
</script>

<template>
  <div class="room">
    <div class="line">
      <label
        >The last
        <select v-model.number="days" class="native" aria-label="Days to look back">
          <option :value="30">30 days</option>
          <option :value="90">90 days</option>
          <option :value="180">180 days</option>
          <option :value="365">year</option>
        </select>
        again</label
      >
      <Button size="small" :loading="job?.state === 'working'" @click="begin.mutate()">Play</Button>
      <Button v-if="job?.state === 'working'" size="small" danger @click="stop.mutate()">Stop</Button>
    </div>
    <Progress v-if="job && job.state === 'working'" :percent="Math.round((100 * job.done) / Math.max(1, job.total))" />
    <p v-if="job?.state === 'stopped'" class="soft">Stopped after {{ job.done }} of {{ job.total }} students.</p>
    <p v-if="job?.state === 'failed'" role="alert" class="warn">This could not be played. Try it with fewer days.</p>
    <template v-if="job?.result">
      <h2 data-testid="replay-sum">
        {{ job.result.letters }} letters to {{ job.result.students }}
        {{ job.result.students === 1 ? "student" : "students" }}
      </h2>
      <p class="soft">
        If “{{ sequence.name }}” had been running all that time, with what your students really did.<template
          v-if="job.result.busiest"
        >
          The busiest day: {{ job.result.busiest.label }} with {{ job.result.busiest.letters }} letters.</template
        >
      </p>
      <div v-if="job.result.letters" class="bars" role="img" :aria-label="`Letters a day, at most ${most}`">
        <i
          v-for="day in job.result.days"
          :key="day.date"
          :style="{ height: (100 * day.letters) / most + '%' }"
          :title="`${day.label}: ${day.letters}`"
        />
      </div>
      <div class="columns">
        <section class="sheet box">
          <h3>By letter</h3>
          <ul>
            <template v-for="step in order" :key="step.id"
              ><li v-if="step.do === 'send'">
                <b class="postmark">{{ count(step.id) }}</b>
                {{
                  lettersOf(step)
                    .map((key) => names.get(key) ?? key)
                    .join(" or ")
                }}
              </li></template
            >
          </ul>
          <p v-for="line in job.result.skipped" :key="line" class="label">{{ line }}</p>
        </section>
        <section class="sheet box">
          <h3>More than the daily limit: {{ job.result.over_limit_number }}</h3>
          <p v-if="!job.result.over_limit_number" class="soft">Nobody would have had too much on one day.</p>
          <ul>
            <li v-for="one in job.result.over_limit" :key="one.key">
              <RouterLink :to="`/students/${one.key}`">{{ one.name }}</RouterLink>{{ " "
              }}<span class="label">{{ one.words }}</span>
            </li>
          </ul>
        </section>
        <section class="sheet box">
          <h3>Reached, and nobody else wrote to them: {{ job.result.unwritten_number }}</h3>
          <p v-if="!job.result.unwritten_number" class="soft">Everyone it reaches hears from you already.</p>
          <ul>
            <li v-for="one in job.result.unwritten" :key="one.key">
              <RouterLink :to="`/students/${one.key}`">{{ one.name }}</RouterLink>{{ " "
              }}<span class="label">{{ one.words }}</span>
            </li>
          </ul>
        </section>
      </div>
    </template>
  </div>
</template>

<style scoped>
.room {
  padding: 16px 22px 40px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
p {
  margin: 0;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
}
.native {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 4px 8px;
  background: #fff;
  color: var(--ink);
}
.bars {
  height: 90px;
  display: flex;
  align-items: flex-end;
  gap: 1px;
  background: var(--sheet);
  border: 1px solid var(--rule2);
  border-radius: 6px;
  padding: 8px;
}
.bars i {
  flex: 1;
  background: #38699c;
  min-height: 1px;
  border-radius: 1px 1px 0 0;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 12px;
  align-items: start;
}
.box {
  padding: 10px 14px;
}
ul {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  max-height: 260px;
  overflow-y: auto;
}
li {
  padding: 2px 0;
}
.warn {
  color: var(--red);
}
</style>
