<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import Segmented from "ant-design-vue/es/segmented";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import EmptyState from "../parts/EmptyState.vue";
import LetterPaper from "../parts/LetterPaper.vue";

const props = defineProps<{ student: string }>();
const client = useQueryClient();
const opened = ref<number | null>(null);
const view = ref<string | number>("Letter");
const { data: mails } = useQuery({
  queryKey: ["inbox", computed(() => props.student)],
  queryFn: () => data(api.GET("/api/practice/inbox/{student}", { params: { path: { student: props.student } } })),
});
const { data: mail } = useQuery({
  queryKey: ["mail", opened],
  queryFn: () => data(api.POST("/api/practice/mail/{id}/open", { params: { path: { id: opened.value ?? 0 } } })),
  enabled: computed(() => opened.value !== null),
  staleTime: Infinity,
});
const TROUBLES = [
  { value: "", label: "takes every letter" },
  { value: "slow", label: "is slow" },
  { value: "greylisting", label: "asks to come again in a while" },
  { value: "unknown", label: "knows nobody of that name" },
  { value: "unknown_later", label: "says a moment later: nobody of that name" },
  { value: "full", label: "says a moment later: mailbox full" },
  { value: "complaint", label: "passes a complaint on" },
];
const path = computed(() => ({ params: { path: { student: props.student } } }));
const { data: trouble } = useQuery({
  queryKey: ["trouble", computed(() => props.student)],
  queryFn: () => data(api.GET("/api/practice/trouble/{student}", path.value)),
});
const play = useMutation({
  mutationFn: (kind: string | null) =>
    data(
      api.PUT("/api/practice/trouble/{student}", { ...path.value, body: { kind: kind as Api["TroubleIn"]["kind"] } }),
    ),
  onSuccess: () => client.invalidateQueries({ queryKey: ["trouble"] }),
});
watch(
  () => props.student,
  () => (opened.value = null),
);
watch(mail, () => void client.invalidateQueries({ queryKey: ["inbox"] }));
</script>

<template>
  <section class="box" aria-label="Inbox">
    <header>
      <h2>Inbox</h2>
      <span v-if="mails?.length" class="label">{{ mails.length }} {{ mails.length === 1 ? "letter" : "letters" }}</span
      ><button v-if="opened !== null" class="link" @click="opened = null">All letters</button>
    </header>
    <label class="plays"
      >Their mail server
      <Select
        v-named="'What their mail server does'"
        :value="trouble?.kind ?? ''"
        :options="TROUBLES"
        size="small"
        style="min-width: 250px"
        @change="(kind) => play.mutate(String(kind) || null)"
    /></label>
    <template v-if="opened !== null && mail">
      <article class="open">
        <h3 data-testid="mail-subject">{{ mail.subject }}</h3>
        <div class="label">
          From {{ mail.sender }}<br />To {{ mail.to }} · <span class="postmark">{{ mail.sent }}</span>
        </div>
        <Segmented v-model:value="view" :options="['Letter', 'Plain text', 'Headers']" size="small" />
        <LetterPaper v-if="view === 'Letter'" :html="mail.html" title="The letter" opens />
        <pre v-else-if="view === 'Plain text'" class="sheet">{{ mail.text }}</pre>
        <dl v-else class="sheet">
          <template v-for="[name, value] in mail.headers" :key="name"
            ><dt class="label">{{ name }}</dt>
            <dd>{{ value }}</dd></template
          >
        </dl>
      </article>
    </template>
    <ul v-else-if="mails?.length">
      <li v-for="m in mails" :key="m.id">
        <button class="line" :class="{ fresh: !m.opened }" data-testid="mail" @click="opened = m.id">
          <span class="airmail" /><span class="subject">{{ m.subject }}</span
          ><span class="postmark when">{{ m.sent }}</span
          ><span class="label">{{ m.preview }}</span>
        </button>
      </li>
    </ul>
    <EmptyState v-else-if="mails" title="No post yet">Letters to this student arrive here.</EmptyState>
  </section>
</template>

<style scoped>
.box {
  background: var(--sheet2);
  overflow-y: auto;
  min-height: 0;
}
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding: 14px 18px 10px;
}
header .link {
  margin-left: auto;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 2px 10px;
  width: 100%;
  text-align: left;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 0 14px 9px;
  overflow: hidden;
  cursor: pointer;
  color: var(--ink);
}
.line .airmail {
  grid-column: 1 / -1;
  margin: 0 -14px 6px;
  visibility: hidden;
}
.fresh .airmail {
  visibility: visible;
}
.subject {
  font-family: var(--title);
}
.fresh .subject {
  font-weight: 700;
}
.line .label {
  grid-column: 1 / -1;
}
.when {
  font-size: 13px;
  white-space: nowrap;
}
.plays {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 0 18px 10px;
  color: var(--soft);
  font-size: 13px;
}
.open {
  padding: 0 18px 24px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  align-items: stretch;
}
.open h3 {
  font: 600 18px/1.35 var(--letter);
  overflow-wrap: anywhere;
}
.open :deep(.ant-segmented) {
  align-self: flex-start;
}
pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  padding: 14px;
  font: 13px/1.5 var(--mark);
}
dl {
  padding: 12px 14px;
  margin: 0;
  overflow-wrap: anywhere;
}
dd {
  margin: 0 0 8px;
  font: 13px var(--mark);
}
</style>
