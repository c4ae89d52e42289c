<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import ThingPick from "../parts/ThingPick.vue";

/** The same sequence for another course: each part that belongs to the old one is asked for. */
const props = defineProps<{ sequence: Api["SequenceSummary"] | null }>();
const emit = defineEmits<{ close: []; made: [key: string] }>();
const notice = useNotice();
const { courses } = useThings();
const course = ref<string>();
const places = ref<Record<string, string>>({});
watch(
  () => props.sequence,
  () => {
    course.value = courses.value.find((one) => one.title !== props.sequence?.course)?.key;
    places.value = {};
  },
);
const { data: parts } = useQuery({
  queryKey: ["parts", computed(() => props.sequence?.key), course],
  queryFn: () =>
    data(
      api.GET("/api/sequences/{key}/parts", {
        params: { path: { key: props.sequence?.key ?? "" }, query: { course: course.value ?? "" } },
      }),
    ),
  enabled: computed(() => props.sequence !== null && course.value !== undefined),
});
watch(
  parts,
  (now) =>
    (places.value = Object.fromEntries((now ?? []).map((part) => [`${part.kind}:${part.key}`, part.guess ?? ""]))),
);
const asked = computed(() => (parts.value ?? []).filter((part) => part.kind !== "course"));
const copy = useAct(
  () =>
    data(
      api.POST("/api/sequences/{key}/duplicate", {
        params: { path: { key: props.sequence?.key ?? "" } },
        body: { course: course.value ?? "", places: places.value },
      }),
    ),
  {
    done: ({ key }) => {
      notice.done("Copied as a draft, with letters of its own.");
      emit("close");
      emit("made", key);
    },
    refreshes: [],
  },
);
</script>

<template>
  <AskDialog
    :open="sequence !== null"
    :title="`Duplicate “${sequence?.name ?? ''}”`"
    ok="Duplicate"
    :ready="Boolean(course)"
    :busy="copy.isPending.value"
    @cancel="emit('close')"
    @ok="copy.mutate()"
  >
    <label class="line"
      ><span>For the course</span><ThingPick v-model="course" kind="course" label="For which course"
    /></label>
    <template v-if="asked.length"
      ><p class="soft">What takes the place of each part?</p>
      <label v-for="part in asked" :key="part.kind + part.key" class="line"
        ><span>{{ part.title }}</span
        ><ThingPick
          :model-value="places[`${part.kind}:${part.key}`]"
          :kind="part.kind"
          :within="part.kind === 'offer' ? undefined : course"
          :label="`In place of ${part.title}`"
          @update:model-value="(key) => (places = { ...places, [`${part.kind}:${part.key}`]: key ?? '' })" /></label
    ></template>
  </AskDialog>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 10px;
  align-items: center;
  padding: 4px 0;
  overflow-wrap: anywhere;
}
p {
  margin: 10px 0 2px;
}
</style>
