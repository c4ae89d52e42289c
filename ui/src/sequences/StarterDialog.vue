<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Modal from "ant-design-vue/es/modal";
import { computed, ref } from "vue";

import { api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";
import DraftEnding from "../courses/DraftEnding.vue";
import ThingPick from "../parts/ThingPick.vue";

/** Ready-made sequences with their letters, fitted to a course when taken. */
const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: []; made: [key: string] }>();
const notice = useNotice();
const { courses } = useThings();
const chosen = ref<string>();
const course = computed({ get: () => chosen.value ?? courses.value[0]?.key, set: (key) => (chosen.value = key) });
const { data: starters } = useQuery({
  queryKey: ["starters"],
  queryFn: () => data(api.GET("/api/starters")),
  staleTime: Infinity,
  enabled: computed(() => props.open),
});
const take = useAct(
  (key: string) =>
    data(
      api.POST("/api/starters/{key}", { params: { path: { key } }, body: { course: course.value ?? "", places: {} } }),
    ),
  {
    done: ({ key }) => {
      notice.done("It is a draft now, with its letters. Nothing goes out until you run it.");
      emit("close");
      emit("made", key);
    },
    refreshes: [],
  },
);
const remind = useAct(
  () => data(api.POST("/api/courses/{key}/reminder", { params: { path: { key: course.value ?? "" } } })),
  {
    done: ({ key }) => {
      notice.done("It is a draft now, with its letter. Nothing goes out until you run it.");
      emit("close");
      emit("made", key);
    },
    refreshes: [],
  },
);
</script>

<template>
  <Modal :open="open" title="Begin with a starter" :footer="null" width="760px" @cancel="emit('close')">
    <p v-if="!courses.length" class="soft">Make a course first; a starter is fitted to one.</p>
    <label v-else class="for"
      >for the course <ThingPick v-model="course" kind="course" label="For which course"
    /></label>
    <article v-if="course" class="one">
      <div>
        <h3>The end of a course</h3>
        <p>
          With the certificate and after it: the certificate at once, how it was after a week, the next course two days
          later for whoever has not bought it. Buying it takes a student out.
        </p>
        <div class="label">2 or 3 letters; for a course with a certificate</div>
      </div>
      <DraftEnding :id="course" />
    </article>
    <article v-if="course" class="one">
      <div>
        <h3>Nearly there</h3>
        <p>A letter to whoever has done 80% or more and has been silent for a week, at most every three weeks.</p>
        <div class="label">1 letter</div>
      </div>
      <Button :loading="remind.isPending.value" aria-label="Take Nearly there" @click="remind.mutate()">Take it</Button>
    </article>
    <article v-for="one in starters" :key="one.key" class="one">
      <div>
        <h3>{{ one.name }}</h3>
        <p>{{ one.about }}</p>
        <div class="label">{{ one.letters.length }} letters: {{ one.letters.join(", ") }}</div>
      </div>
      <Button
        :disabled="!course"
        :loading="take.isPending.value"
        :aria-label="`Take ${one.name}`"
        @click="take.mutate(one.key)"
        >Take it</Button
      >
    </article>
  </Modal>
</template>

<style scoped>
.for {
  display: flex;
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
  white-space: nowrap;
}
.one {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 16px;
  align-items: start;
  padding: 12px 0;
  border-top: 1px solid var(--rule2);
}
p {
  margin: 3px 0;
}
</style>
