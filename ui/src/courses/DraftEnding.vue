<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";

/** Drafts what comes with and after the certificate of a course; the next course is the owner's to choose. */
const props = defineProps<{ id: string }>();
const router = useRouter();
const notice = useNotice();
const { options } = useThings();
const next = ref("");
const offers = computed(() => [{ value: "", label: "no next course" }, ...(options.value.offer ?? [])]);
const draft = useAct(
  () =>
    data(api.POST("/api/courses/{key}/ending", { params: { path: { key: props.id } }, body: { next: next.value } })),
  {
    done: ({ key }) => {
      notice.done("Drafted, with its letters. Read them, rehearse it; nothing goes out until you run it.");
      void router.push(`/sequences/${key}`);
    },
  },
);
</script>

<template>
  <div class="draft">
    <label
      >and two days after the feedback
      <Select
        v-model:value="next"
        v-named="'The next course'"
        :options="offers"
        show-search
        option-filter-prop="label"
        style="width: 100%"
        :dropdown-match-select-width="false" /></label
    ><Button type="primary" :loading="draft.isPending.value" @click="draft.mutate()"
      >Draft the end of the course</Button
    >
  </div>
</template>

<style scoped>
.draft {
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: flex-start;
  text-align: left;
}
label {
  color: var(--soft);
  display: flex;
  flex-direction: column;
  gap: 3px;
  min-width: 220px;
}
</style>
