<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useNotice } from "../parts/notice";

/** Students who have done most of a course and gone silent: written to once, reminded from now on, or kept as an audience. */
defineProps<{ nearly: Api["Nearly"][] }>();
const client = useQueryClient();
const router = useRouter();
const notice = useNotice();
const onError = (error: unknown) => notice.refused(error);
const write = useMutation({
  mutationFn: (one: Api["Nearly"]) =>
    data(
      api.POST("/api/broadcasts", {
        body: { name: `Nearly through ${one.course_title}`, letter: null, to: one.condition },
      }),
    ),
  onSuccess: ({ key }) => router.push(`/broadcasts/${key}`),
  onError,
});
const remind = useMutation({
  mutationFn: (course: string) => data(api.POST("/api/courses/{key}/reminder", { params: { path: { key: course } } })),
  onSuccess: ({ key }) => {
    notice.done("Drafted, with a letter. Read it, rehearse it; nothing goes out until you run it.");
    void client.invalidateQueries();
    void router.push(`/sequences/${key}`);
  },
  onError,
});
const keep = useMutation({
  mutationFn: (one: Api["Nearly"]) =>
    data(
      api.POST("/api/audiences", {
        body: { name: `Nearly through ${one.course_title}, and silent`, condition: one.condition },
      }),
    ),
  onSuccess: () => {
    notice.done("Kept as an audience.");
    void client.invalidateQueries();
    void router.push("/audiences");
  },
  onError,
});
</script>

<template>
  <section class="sheet box">
    <h2>Nearly there</h2>
    <ul>
      <li v-for="one in nearly" :key="one.course">
        <div>
          <b class="postmark">{{ one.students }}</b> {{ one.students === 1 ? "student has" : "students have" }} done 80%
          or more of <RouterLink :to="`/courses/${one.course}`">{{ one.course_title }}</RouterLink> and been silent for
          a week
          <div class="label">
            {{ one.reminded ? "a running sequence writes to those who go silent" : "nobody reminds them" }}
          </div>
        </div>
        <div class="acts">
          <Button size="small" @click="write.mutate(one)">Write to {{ one.students === 1 ? "them" : "these" }}</Button
          ><Button v-if="!one.reminded" size="small" @click="remind.mutate(one.course)">Draft a reminder</Button
          ><button class="link" @click="keep.mutate(one)">keep as an audience</button>
        </div>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.box > h2 {
  padding: 12px 14px 8px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0 14px 10px;
}
li {
  padding: 5px 0 8px;
}
.acts {
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
  align-items: center;
  margin-top: 5px;
}
a {
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
