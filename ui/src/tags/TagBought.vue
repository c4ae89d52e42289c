<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import InputNumber from "ant-design-vue/es/input-number";
import { computed, ref } from "vue";

import { api, data } from "../api/client";
import { useFrame } from "../frame/frame";
import DateInput from "../parts/DateInput.vue";
import ThingPick from "../parts/ThingPick.vue";

/** Who bought after getting a tag. */
const { data: frame } = useFrame();
const question = ref({ tag: "", since: "", offer: "", days: 30 });
const since = computed(
  () =>
    question.value.since ||
    (frame.value ? `${Number(frame.value.clock.wall.slice(0, 4)) - 1}${frame.value.clock.wall.slice(4, 10)}` : ""),
);
const { data: bought } = useQuery({
  queryKey: ["tag-bought", question, since],
  queryFn: () =>
    data(
      api.GET("/api/tags/bought", {
        params: {
          query: {
            tag: question.value.tag,
            since: since.value,
            offer: question.value.offer,
            days: question.value.days,
          },
        },
      }),
    ),
  enabled: computed(() => Boolean(question.value.tag && since.value)),
  placeholderData: keepPreviousData,
});
</script>

<template>
  <section class="sheet question">
    <h2>What was a tag followed by?</h2>
    <p class="line">
      Of those who got <ThingPick v-model="question.tag" kind="tag" label="Which tag" class="pick" /> since
      <DateInput :model-value="since" label="Since" @update:model-value="(day) => day && (question.since = day)" />
      how many bought
      <ThingPick
        v-model="question.offer"
        kind="offer"
        label="Which offer"
        :also="[{ value: 'any', label: 'anything' }]"
        class="pick"
      />
      within
      <InputNumber v-model:value="question.days" :min="1" :max="3650" aria-label="Days" style="width: 70px" /> days?
    </p>
    <p v-if="question.tag && bought" data-testid="bought">
      <b class="postmark big">{{ bought.bought }}</b> of {{ bought.got
      }}<template v-if="bought.got">
        · between {{ Math.round(bought.low * 100) }} and {{ Math.round(bought.high * 100) }}%<template
          v-if="bought.small"
        >
          (few, so this says little)</template
        ></template
      >
      <span v-if="bought.students.length" class="label names"
        ><RouterLink v-for="one in bought.students.slice(0, 40)" :key="one.key" :to="`/students/${one.key}`"
          ><bdi>{{ one.name }}</bdi></RouterLink
        ></span
      >
    </p>
  </section>
</template>

<style scoped>
.question {
  padding: 16px 20px;
}
.question h2 {
  margin: 0;
}
.question p {
  margin: 6px 0 0;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.pick {
  width: 190px;
}
.big {
  font-size: 22px;
}
.names {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  margin-top: 4px;
}
</style>
