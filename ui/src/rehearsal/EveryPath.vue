<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "../api/client";
import type { Sequence } from "../api/school-file";
import EmptyState from "../parts/EmptyState.vue";

/** The distinct ways through a sequence, and what each of them posts. */
const props = defineProps<{ sequence: Sequence }>();
const { data: found, error } = useQuery({
  queryKey: ["paths", computed(() => props.sequence)],
  queryFn: () => data(api.POST("/api/rehearsals/paths", { body: props.sequence })),
});
</script>

<template>
  <div class="room">
    <EmptyState v-if="error" title="The ways can't be walked yet">{{ error.message }}</EmptyState>
    <template v-else-if="found">
      <p class="soft">
        {{ found.paths.length }} {{ found.paths.length === 1 ? "way" : "ways" }} through the sequence. Days are the
        earliest possible.
      </p>
      <p v-if="found.unreached.length" class="warn">▲ No way reaches: {{ found.unreached.join(", ") }}</p>
      <article v-for="(path, index) in found.paths" :key="index" class="sheet path">
        <header>
          <b class="postmark">{{ index + 1 }}</b>{{ " "
          }}<span v-if="path.choices.length">A student who {{ path.choices.join(", then ") }}</span
          ><span v-else>Every student</span><span v-if="path.open_end" class="pill held">waits without end</span>
        </header>
        <ol v-if="path.letters.length">
          <li v-for="(letter, at) in path.letters" :key="at">
            <span class="postmark day">Day {{ letter.day }}</span
            >{{ letter.name }} <span class="label">{{ letter.detail }}</span>
          </li>
        </ol>
        <p v-else class="soft">gets no letter.</p>
      </article>
    </template>
  </div>
</template>

<style scoped>
.room {
  padding: 16px 22px 40px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  max-width: 900px;
}
p {
  margin: 0;
}
.path {
  padding: 10px 16px;
}
header {
  overflow-wrap: anywhere;
}
ol {
  list-style: none;
  margin: 6px 0 0;
  padding: 0 0 0 22px;
}
li {
  padding: 1px 0;
}
.day {
  display: inline-block;
  width: 70px;
  font-weight: 700;
}
.warn {
  color: var(--warn);
}
</style>
