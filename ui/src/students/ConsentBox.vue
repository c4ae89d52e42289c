<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";

/** What they want to get, changed on their word; and the log of it: what, when, how, by whom. */
const props = defineProps<{ student: Api["StudentOut"] }>();
const client = useQueryClient();
const key = computed(() => props.student.key);
const { data: log } = useQuery({
  queryKey: ["consents", key, () => props.student.news, () => props.student.help_stopped],
  queryFn: () => data(api.GET("/api/students/{key}/consents", { params: { path: { key: key.value } } })),
});
const changing = ref<{ what: "news" | "help"; on: boolean; course: string | null; title: string } | null>(null);
const note = ref("");
const change = useAct(
  () =>
    data(
      api.POST("/api/students/{key}/consent", {
        params: { path: { key: key.value } },
        body: {
          what: changing.value?.what ?? "news",
          on: changing.value?.on ?? false,
          course: changing.value?.course ?? null,
          note: note.value,
        },
      }),
    ),
  {
    done: (now) => {
      [changing.value, note.value] = [null, ""];
      client.setQueryData(["student", key.value], now);
    },
  },
);
const track = useAct(
  (on: boolean) => data(api.PUT("/api/students/{key}/noted", { params: { path: { key: key.value } }, body: { on } })),
  { done: (now) => client.setQueryData(["student", key.value], now), refreshes: [] },
);
const stopped = (course: string) => props.student.help_stopped.includes(course);
</script>

<template>
  <section class="sheet box">
    <h2>What they want to get</h2>
    <p>
      {{ student.news ? "Wants news" : "Does not want news" }}
      <button class="link small" @click="changing = { what: 'news', on: !student.news, course: null, title: 'News' }">
        {{ student.news ? "Stop news" : "Resume news" }}
      </button>
    </p>
    <p v-for="course in student.courses" :key="course.course">
      {{ stopped(course.course) ? "No help with" : "Help with" }} {{ course.short }}
      <button
        class="link small"
        @click="
          changing = {
            what: 'help',
            on: stopped(course.course),
            course: course.course,
            title: `Help with ${course.short}`,
          }
        "
      >
        {{ stopped(course.course) ? "Resume" : "Stop" }}
      </button>
    </p>
    <p>
      {{ student.tracked ? "What they open may be noted" : "What they open is not noted" }}
      <button class="link small" @click="track.mutate(!student.tracked)">
        {{ student.tracked ? "Note nothing" : "Note it again" }}
      </button>
    </p>
    <ol v-if="log?.length" class="log" aria-label="Consent log">
      <li v-for="(line, index) in log" :key="index">
        <b>{{ line.words }}</b>{{ " " }}<span class="postmark">{{ line.at }}</span>
        <div class="label">
          {{ line.how }} · {{ line.by }}<template v-if="line.note"> · “{{ line.note }}”</template>
        </div>
      </li>
    </ol>
    <p v-else class="label">Nothing in the consent log.</p>
    <AskDialog
      :open="changing !== null"
      :title="changing ? `${changing.title}: ${changing.on ? 'resume' : 'stop'}` : ''"
      :ok="changing?.on ? 'Resume' : 'Stop'"
      :busy="change.isPending.value"
      :ready="!changing?.on || Boolean(note.trim())"
      @update:open="changing = null"
      @ok="change.mutate()"
    >
      <label
        >{{ changing?.on ? "On whose word? Resume only what they asked for themselves." : "Why? It is kept in the log."
        }}<Input v-model:value="note" aria-label="Note" placeholder="asked by mail on 3 March"
      /></label>
    </AskDialog>
  </section>
</template>

<style scoped>
.box {
  padding: 12px 14px;
}
.box h2 {
  margin-bottom: 6px;
}
.box p {
  margin: 0 0 4px;
}
.small {
  font-size: 12.5px;
}
.log {
  list-style: none;
  margin: 8px 0 0;
  padding: 8px 0 0;
  border-top: 1px solid var(--rule2);
}
.log li {
  padding: 3px 0;
  overflow-wrap: anywhere;
}
</style>
