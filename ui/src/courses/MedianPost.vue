<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "../api/client";

/** One student's post from start to finish, on the median path, over all running sequences. */
const props = defineProps<{ id: string }>();
const { data: post } = useQuery({
  queryKey: ["median-post", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/courses/{key}/post", { params: { path: { key: props.id } } })),
});
const last = computed(() => Math.max(1, post.value?.length ?? 1, ...(post.value?.days.map((day) => day.day) ?? [])));
const crowded = computed(() => post.value?.days.filter((day) => day.crowded) ?? []);
</script>

<template>
  <section v-if="post">
    <h2>One student's post, start to finish</h2>
    <p class="soft">Median path, {{ post.length }} days · {{ post.letters }} letters</p>
    <div class="axis">
      <div
        v-for="day in post.days"
        :key="day.day"
        class="stack"
        :style="{ left: (97 * day.day) / last + '%' }"
        :title="`Day ${day.day}: ${day.letters.join(', ')}`"
      >
        <i v-for="letter in day.letters.length" :key="letter" :class="{ crowded: day.crowded }" />
      </div>
    </div>
    <div class="ends label">
      <span>day 0</span><span>day {{ last }}</span>
    </div>
    <p v-for="day in crowded" :key="day.day" class="warn">
      ▲ {{ day.letters.length }} letters on day {{ day.day }}: {{ day.letters.join(", ") }}
    </p>
    <details>
      <summary class="label">Read them in order</summary>
      <ol>
        <li v-for="day in post.days" :key="day.day">
          <span class="postmark">Day {{ day.day }}</span> {{ day.letters.join(", ") }}
        </li>
      </ol>
    </details>
  </section>
</template>

<style scoped>
section {
  border-bottom: 1px solid var(--rule2);
  padding-bottom: 16px;
}
p {
  margin: 4px 0 8px;
}
.axis {
  position: relative;
  height: 52px;
  border-bottom: 2px solid var(--rule);
}
.stack {
  position: absolute;
  bottom: 1px;
  display: flex;
  flex-direction: column;
  gap: 2px;
}
.stack i {
  width: 9px;
  height: 11px;
  background: #1b4f8a;
}
.stack i.crowded {
  background: #b37f1f;
}
.ends {
  display: flex;
  justify-content: space-between;
}
.warn {
  color: var(--warn);
}
ol {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
  font-size: 13px;
}
li .postmark {
  display: inline-block;
  width: 62px;
}
</style>
