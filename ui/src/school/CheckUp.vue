<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed } from "vue";

import { api, data } from "../api/client";
import PageHead from "../parts/PageHead.vue";

/** How the school runs: what was looked at just now, the worst first, each with what to do. */
const {
  data: found,
  error,
  isFetching,
  refetch,
} = useQuery({
  queryKey: ["check-up"],
  queryFn: () => data(api.GET("/api/check-up")),
  staleTime: 60_000,
  refetchOnWindowFocus: false,
});
const MARKS = { serious: "✗", mend: "▲", unknown: "?", good: "✓" };
const READS = { serious: "serious", mend: "to be mended", unknown: "not known", good: "good" };
const wrong = computed(() => (found.value ?? []).filter((one) => one.how !== "good"));
const good = computed(() => (found.value ?? []).filter((one) => one.how === "good"));
</script>

<template>
  <PageHead title="How it runs" :above="{ to: '/school', name: 'School' }"
    ><Button :loading="isFetching" @click="refetch()">Look again</Button></PageHead
  >
  <div class="room">
    <p v-if="error" role="alert" class="refused">{{ error.message }}</p>
    <p v-else-if="!found" role="status">
      The address, the disk, the copies, the mail and the domain are being looked at. This takes a few seconds …
    </p>
    <section
      v-for="part in [wrong, good].filter((one) => one.length)"
      :key="part === good ? 'good' : 'wrong'"
      class="sheet"
    >
      <ul>
        <li v-for="(one, at) in part" :key="at" :class="one.how">
          <span class="mark" aria-hidden="true">{{ MARKS[one.how] }}</span>
          <div>
            <h3>
              {{ one.about }}<span class="visually-hidden">: {{ READS[one.how] }}</span>
            </h3>
            <p>{{ one.sentence }}</p>
            <p v-if="one.do"><b>What to do:</b> {{ one.do }}</p>
          </div>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 18px;
  max-width: 820px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 28px minmax(0, 1fr);
  padding: 12px 18px;
}
li + li {
  border-top: 1px solid var(--rule2);
}
p {
  margin: 0;
  overflow-wrap: anywhere;
}
.mark {
  font-weight: 700;
  color: var(--soft);
}
.good .mark {
  color: var(--well);
}
.mend .mark {
  color: var(--warn-mark);
}
.serious .mark,
.refused {
  color: var(--red);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
