<script setup lang="ts">
import { useMutation, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import { PURPOSES } from "../api/school-file";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { freeKey } from "../parts/keys";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { fieldLabel, readField } from "./field-words";

const router = useRouter();
const notice = useNotice();
const q = ref("");
const asking = ref(false);
const name = ref("");
const { data: letters } = useQuery({ queryKey: ["letters"], queryFn: () => data(api.GET("/api/letters")) });
const shown = computed(() => {
  const words = q.value.toLowerCase().split(/\s+/);
  return (letters.value ?? []).filter((l) => words.every((word) => `${l.name} ${l.subject} ${l.used_by.join(" ")}`.toLowerCase().includes(word)));
});
/** A subject as pieces: text, and merge fields by their name. */
const pieces = (subject: string) => subject.split(/(\{\{.*?\}\})/).map((part) => (part.startsWith("{{") ? { field: fieldLabel(readField(part.slice(2, -2)).name) } : { text: part }));

const create = useMutation({
  mutationFn: async () => {
    const key = freeKey(name.value, (letters.value ?? []).map((l) => l.key));
    const body = { name: name.value.trim(), purpose: "course_help", subject: "", blocks: [{ kind: "text", html: "<p>Hello {{ student.first_name | default('there') }},</p><p></p>" }] };
    await data(api.PUT("/api/letters/{key}", { params: { path: { key } }, body }));
    return key;
  },
  onSuccess: (key) => router.push(`/letters/${key}`),
  onError: (error) => notice.refused(error),
});
</script>

<template>
  <PageHead title="Letters"><Input v-model:value="q" placeholder="Find a letter" aria-label="Find a letter" allow-clear style="width: 200px" /><Button type="primary" @click="asking = true">New letter</Button></PageHead>
  <div class="room">
    <div v-if="shown.length" class="sheet scroll">
      <table class="plain cards">
        <thead><tr><th>Letter</th><th>Purpose</th><th>Used by</th><th class="num">Sent</th></tr></thead>
        <tbody>
          <tr v-for="letter in shown" :key="letter.key" class="opens" @click="router.push(`/letters/${letter.key}`)">
            <td><RouterLink :to="`/letters/${letter.key}`" class="name" @click.stop>{{ letter.name }}</RouterLink>
              <div class="soft"><template v-for="(piece, i) in pieces(letter.subject)" :key="i"><span v-if="'field' in piece" class="chip">{{ piece.field }}</span><template v-else>{{ piece.text }}</template></template><i v-if="!letter.subject">no subject yet</i></div></td>
            <td><span class="pill">{{ PURPOSES[letter.purpose as keyof typeof PURPOSES] }}</span></td>
            <td class="soft"><span class="by">Used by </span>{{ letter.used_by.join(", ") || "nothing yet" }}</td>
            <td class="num postmark" data-label="sent">{{ letter.sent }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <EmptyState v-else-if="letters?.length" title="No letter like that">Try another word.</EmptyState>
    <EmptyState v-else-if="letters" title="No letters yet">Write the first one: the letter that gives a new student their access.</EmptyState>
  </div>
  <AskDialog v-model:open="asking" title="New letter" ok="Write it" :busy="create.isPending.value" :ready="Boolean(name.trim())" @ok="create.mutate()">
    <label>What do you call it? Students see the subject, not this name.<Input v-model:value="name" placeholder="Your place is ready" /></label>
  </AskDialog>
</template>

<style scoped>
.room { padding: 18px 22px; } .scroll { overflow-x: auto; } .num { text-align: right !important; }
.name { font: 600 15px var(--title); color: var(--ink); text-decoration: none; }
.by { display: none; }
@media (max-width: 720px) { .room { padding: 14px; } .by { display: inline; } .num[data-label]::after { content: " " attr(data-label); font: 13px "Public Sans Variable", sans-serif; color: var(--soft); } }
</style>
