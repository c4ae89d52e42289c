<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Pagination from "ant-design-vue/es/pagination";
import Select from "ant-design-vue/es/select";
import { reactive, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import { useThings } from "../api/things";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import NewStudent from "./NewStudent.vue";

const router = useRouter();
const notice = useNotice();
const client = useQueryClient();
const asked = reactive({ q: "", course: "", page: 1 });
watch(() => [asked.q, asked.course], () => (asked.page = 1));
const adding = ref(false);
const { courses } = useThings();
const { data: page } = useQuery({
  queryKey: ["students", asked],
  queryFn: () => data(api.GET("/api/students", { params: { query: { q: asked.q, course: asked.course, page: asked.page } } })),
  placeholderData: keepPreviousData,
});
const form = ref({ email: "", first_name: "", last_name: "", timezone: "", news: false });
const create = useMutation({
  mutationFn: () => data(api.POST("/api/students", { body: { ...form.value, timezone: form.value.timezone || null } })),
  onSuccess: ({ key }) => {
    void client.invalidateQueries();
    void router.push(`/students/${key}`);
  },
  onError: (error) => notice.refused(error),
});
</script>

<template>
  <PageHead title="Students">
    <template #beside><span v-if="page" class="soft">{{ page.total }}</span></template>
    <Input v-model:value="asked.q" placeholder="Name or address" aria-label="Find a student" allow-clear style="width: 190px" />
    <Select v-model:value="asked.course" v-named="'Course'" :options="[{ value: '', label: 'In any course or none' }, ...(courses ?? []).map((c) => ({ value: c.key, label: c.title }))]" :dropdown-match-select-width="false" style="width: 200px" />
    <Button type="primary" @click="adding = true">Add a student</Button>
  </PageHead>
  <div class="room">
    <template v-if="page?.items.length">
      <div class="sheet scroll">
        <table class="plain">
          <thead><tr><th>Student</th><th>Courses</th><th>Last seen</th><th class="wide-only">Their time now</th><th class="num">Letters</th></tr></thead>
          <tbody>
            <tr v-for="s in page.items" :key="s.key" class="opens" @click="router.push(`/students/${s.key}`)">
              <td><RouterLink :to="`/students/${s.key}`" class="who" @click.stop><bdi>{{ s.name }}</bdi></RouterLink><div class="label">{{ s.email }}</div></td>
              <td><div v-for="c in s.courses" :key="c.course" class="course"><b class="postmark">{{ c.progress }}%</b> {{ c.title }} <span v-if="c.status !== 'active'" class="label">{{ c.status }}</span></div><span v-if="!s.courses.length" class="soft">none yet</span></td>
              <td class="postmark nowrap">{{ s.last_seen ?? "never" }}</td>
              <td class="soft wide-only">{{ s.local_time }}<div class="label">{{ s.zone.split("/").at(-1)?.replaceAll("_", " ") }}</div></td>
              <td class="num postmark">{{ s.letters }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <Pagination v-if="page.total > 50" v-model:current="asked.page" :total="page.total" :page-size="50" :show-size-changer="false" class="pages" />
    </template>
    <EmptyState v-else-if="page && (asked.q || asked.course)" title="Nobody like that">Try another name, or another course.</EmptyState>
    <EmptyState v-else-if="page" title="No students yet">They come by themselves when your course site reports a purchase. You can also add one by hand.</EmptyState>
  </div>
  <AskDialog v-model:open="adding" title="Add a student" ok="Add" :busy="create.isPending.value" :ready="Boolean(form.email.includes('@'))" @ok="create.mutate()"><NewStudent v-model="form" /></AskDialog>
</template>

<style scoped>
.room { padding: 18px 22px 32px; } .scroll { overflow-x: auto; } .num { text-align: right !important; } .nowrap { white-space: nowrap; }
.who { font-weight: 600; color: var(--ink); text-decoration: none; } .course { line-height: 1.45; } .pages { margin-top: 14px; }
@media (max-width: 720px) { .room { padding: 14px; } }
</style>
