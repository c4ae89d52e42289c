<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "../api/client";

/** The three weightiest findings of the last check-up; the rest stands behind them. */
const { data: found } = useQuery({ queryKey: ["findings"], queryFn: () => data(api.GET("/api/findings")) });
const worst = computed(() => (found.value?.findings ?? []).slice(0, 3));
const more = computed(() => (found.value?.findings.length ?? 0) - worst.value.length);
</script>

<template>
  <section v-if="worst.length" class="sheet box">
    <h2>Worth a look</h2>
    <ul>
      <li v-for="one in worst" :key="one.key">
        {{ one.title }}
        <div>
          <RouterLink :to="one.to || '/check-up'">{{ one.nudge ? "The course" : one.mend }}</RouterLink>
        </div>
      </li>
    </ul>
    <RouterLink to="/check-up" class="all">{{
      more > 0 ? `The whole check-up, with ${more} more` : "The whole check-up"
    }}</RouterLink>
  </section>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0 16px;
}
li {
  padding: 8px 0;
  border-bottom: 1px solid var(--rule2);
  overflow-wrap: anywhere;
}
.all {
  display: block;
  padding: 10px 16px 12px;
}
</style>
