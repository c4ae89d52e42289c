<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "../api/client";

/** The hours in which a letter goes round the world: a bar for each, the first and the last named. */
const props = defineProps<{ id: string; stamp: string; late: string }>();
const { data: wave } = useQuery({
  queryKey: ["wave", computed(() => props.id), computed(() => props.stamp)],
  queryFn: () => data(api.GET("/api/broadcasts/{key}/wave", { params: { path: { key: props.id } } })),
});
const most = computed(() => Math.max(1, ...(wave.value?.crests ?? []).map((crest) => crest.students)));
const places = (names: string[]) => (names.length > 3 ? `${names.slice(0, 3).join(", ")} …` : names.join(", "));
const first = computed(() => wave.value?.crests.at(0));
const last = computed(() => wave.value?.crests.at(-1));
</script>

<template>
  <figure v-if="wave && wave.crests.length" class="wave">
    <div
      class="bars"
      role="img"
      :aria-label="`First in ${first?.places[0]} at ${first?.at} school time, last in ${last?.places[0]} at ${last?.at}`"
    >
      <span
        v-for="crest in wave.crests"
        :key="crest.at"
        class="bar"
        :class="{ late: crest.late }"
        :title="`${crest.at} school time: ${crest.students} in ${places(crest.places)}`"
        ><i :style="{ height: 4 + 30 * (crest.students / most) + 'px' }"
      /></span>
    </div>
    <figcaption class="label">
      <template v-if="wave.crests.length > 1"
        ><span
          >{{ first?.places[0] }} <span class="postmark">{{ first?.at }}</span></span
        ><span class="to"
          >{{ last?.places[0] }} <span class="postmark">{{ last?.at }}</span></span
        ></template
      >
      <span v-else
        >{{ places(first?.places ?? []) }} <span class="postmark">{{ first?.at }}</span></span
      >
    </figcaption>
    <p v-if="wave.late" class="late">
      ▲ For {{ wave.late }} that hour is past when it starts: they
      {{ late === "skip" ? "don't get it" : "get it at the start" }}.
    </p>
  </figure>
</template>

<style scoped>
.wave {
  margin: 6px 0 0;
}
.bars {
  display: flex;
  gap: 3px;
  align-items: flex-end;
  height: 36px;
  border-bottom: 1px solid var(--rule);
}
.bar {
  flex: 1;
  max-width: 26px;
  display: flex;
  align-items: flex-end;
  height: 100%;
}
.bar i {
  display: block;
  width: 100%;
  background: #38699c;
  border-radius: 2px 2px 0 0;
}
.bar.late i {
  background: repeating-linear-gradient(45deg, #a86a00 0 3px, #fdf0d2 3px 6px);
}
figcaption {
  display: flex;
  justify-content: space-between;
  gap: 10px;
}
figcaption .postmark {
  display: block;
  white-space: nowrap;
}
.to {
  text-align: right;
}
p.late {
  color: var(--warn);
  margin: 4px 0 0;
  font-size: 13px;
}
</style>
