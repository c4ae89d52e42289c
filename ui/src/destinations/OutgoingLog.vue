<script setup lang="ts">
import { useInfiniteQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";
import { BECAME, SAYS } from "./words";

/** What was told and what was answered, the newest first; one can be posted again, or all that were set aside. */
const props = defineProps<{ of: string; practice: boolean; lookAt?: number | null }>();
const PAGE = 50;
const notice = useNotice();
const status = ref<"" | Api["OutgoingOut"]["status"]>("");
const FILTERS = [
  { value: "", label: "everything" },
  ...Object.entries(BECAME).map(([value, one]) => ({ value, label: one.says.toLowerCase() })),
];
const {
  data: pages,
  hasNextPage,
  fetchNextPage,
} = useInfiniteQuery({
  queryKey: ["outgoing", () => props.of, status],
  initialPageParam: undefined as number | undefined,
  queryFn: ({ pageParam }) =>
    data(
      api.GET("/api/outgoing/{key}", {
        params: { path: { key: props.of }, query: { before: pageParam, status: status.value || undefined } },
      }),
    ),
  getNextPageParam: (last) => (last.length < PAGE ? undefined : last.at(-1)?.id),
});
const lines = computed(() => pages.value?.pages.flat() ?? []);
const open = ref<number | null>(null);
watch(
  () => props.lookAt,
  (now) => now && (open.value = now),
);
const said = (text: string) => text || "nothing";
const again = useAct(
  (id: number | null) =>
    data(api.POST("/api/outgoing/{key}/again", { params: { path: { key: props.of } }, body: { id } })),
  { done: (now) => notice.done(now.posted === 1 ? "It is posted again." : `${now.posted} are posted again.`) },
);
const aside = computed(() => lines.value.some((one) => one.status === "failed"));
</script>

<template>
  <div class="log" aria-label="What it was told" role="region">
    <div class="head">
      <h2>What {{ of === "this" ? "they said" : "it was told" }}</h2>
      <Select v-model:value="status" v-named="'Which messages'" size="small" :options="FILTERS" />
      <Button v-if="aside" size="small" @click="again.mutate(null)">Post again what was set aside</Button>
    </div>
    <p v-if="practice" class="soft">
      This is a practice school: only what runs on this machine is posted to; the rest is kept here.
    </p>
    <p v-if="!lines.length" class="soft">Nothing yet. It hears of what happens from now on.</p>
    <ul>
      <li v-for="one in lines" :key="one.id">
        <button class="line" :aria-expanded="open === one.id" @click="open = open === one.id ? null : one.id">
          <span class="pill" :class="BECAME[one.status]?.pill">{{ BECAME[one.status]?.says }}</span>
          <span class="postmark">{{ one.at }}</span>
          <span>{{ SAYS[one.type] ?? `call of step ${one.step}` }}</span>
          <bdi class="soft">{{ one.student ?? "a sample" }}</bdi>
          <span v-if="one.reason" class="wrong">{{ one.reason }}</span>
        </button>
        <div v-if="open === one.id" class="inside">
          <p class="soft">
            Message <code class="postmark">{{ one.message_id }}</code> to <code>{{ one.url }}</code>.
            <template v-if="one.retry"> Tried again {{ one.retry }}.</template>
          </p>
          <pre class="sheet">{{ JSON.stringify(one.body, null, 1) }}</pre>
          <table v-if="one.tries.length" class="plain">
            <thead>
              <tr>
                <th>Tried</th>
                <th>Answered</th>
                <th class="num">Took</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(tried, index) in one.tries" :key="index">
                <td class="postmark">{{ tried.at }}</td>
                <td>
                  <b>{{ tried.status ?? "no answer" }}</b> <span class="answer">{{ said(tried.answer) }}</span>
                </td>
                <td class="num postmark">{{ tried.took }} ms</td>
              </tr>
            </tbody>
          </table>
          <Button size="small" @click="again.mutate(one.id)">{{
            one.status === "queued" ? "Try it now" : "Post it again"
          }}</Button>
        </div>
      </li>
    </ul>
    <Button v-if="hasNextPage" size="small" @click="fetchNextPage()">Earlier ones</Button>
  </div>
</template>

<style scoped>
.log {
  display: flex;
  flex-direction: column;
  gap: 8px;
  margin-top: 8px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
h2,
p {
  margin: 0;
}
.head :deep(.ant-select) {
  min-width: 130px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--rule2);
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 3px 10px;
  align-items: center;
  width: 100%;
  min-height: 32px;
  padding: 4px 0;
  border: 0;
  background: none;
  text-align: left;
  cursor: pointer;
}
.inside {
  padding: 4px 0 12px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: flex-start;
}
pre {
  margin: 0;
  padding: 8px 10px;
  max-height: 260px;
  overflow: auto;
  width: 100%;
  font-size: 12.5px;
}
code,
.answer {
  overflow-wrap: anywhere;
}
.num {
  text-align: right;
}
.wrong {
  color: var(--warn);
  overflow-wrap: anywhere;
}
</style>
