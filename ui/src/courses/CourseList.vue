<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, data, ONLY_NEW } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { freeKey } from "../parts/keys";
import PageHead from "../parts/PageHead.vue";
import { counted } from "../parts/counted";

const router = useRouter();
const asking = ref(false);
const title = ref("");
const { data: courses } = useQuery({ queryKey: ["course-list"], queryFn: () => data(api.GET("/api/courses")) });
const create = useAct(
  async () => {
    const key = freeKey(
      title.value,
      (courses.value ?? []).map((course) => course.key),
    );
    await data(
      api.PUT("/api/courses/{key}", {
        params: { path: { key }, header: ONLY_NEW },
        body: { title: title.value.trim(), modules: [] },
      }),
    );
    return key;
  },
  { done: (key) => router.push(`/courses/${key}?tab=outline`) },
);
</script>

<template>
  <PageHead title="Courses"
    ><RouterLink to="/purchases"><Button>Purchases</Button></RouterLink
    ><RouterLink to="/certificates"><Button>Certificates</Button></RouterLink
    ><Button v-needs="'run'" type="primary" @click="asking = true">New course</Button></PageHead
  >
  <div class="room">
    <EmptyState v-if="courses && !courses.length" class="none" title="No courses yet"
      >Make a course and give it an outline, or bring in a school file under School.</EmptyState
    >
    <RouterLink v-for="course in courses" :key="course.key" :to="`/courses/${course.key}`" class="sheet course">
      <h2>{{ course.title }}</h2>
      <p class="soft">{{ course.summary }}</p>
      <div class="facts">
        <span
          ><b class="postmark">{{ course.active }}</b> active</span
        ><span v-if="course.silent" class="warn"
          ><b class="postmark">{{ course.silent }}</b> silent for a week</span
        ><span
          ><b class="postmark">{{ course.finished }}</b> finished</span
        >
      </div>
      <div class="label">
        {{ counted(course.modules, "module") }} · {{ counted(course.lessons, "lesson") }} ·
        {{ counted(course.quizzes, "quiz", "quizzes") }} · {{ counted(course.letters, "letter") }} along the way
      </div>
    </RouterLink>
  </div>
  <AskDialog
    v-model:open="asking"
    title="New course"
    ok="Make it"
    :busy="create.isPending.value"
    :ready="Boolean(title.trim())"
    @ok="create.mutate()"
  >
    <label>What is it called?<Input v-model:value="title" /></label>
  </AskDialog>
</template>

<style scoped>
.room {
  padding: 18px 22px;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(330px, 1fr));
  gap: 14px;
}
.none {
  grid-column: 1 / -1;
  width: 100%;
}
.course {
  padding: 16px 18px;
  color: var(--ink);
  text-decoration: none;
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-width: 0;
  overflow-wrap: anywhere;
}
.course:hover {
  border-color: var(--act);
}
.course p {
  margin: 0;
}
.facts {
  display: flex;
  gap: 18px;
  flex-wrap: wrap;
  margin-top: auto;
}
.facts b {
  font-size: 19px;
}
.warn {
  color: var(--warn);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
