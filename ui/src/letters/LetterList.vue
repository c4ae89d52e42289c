<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import Menu from "ant-design-vue/es/menu";
import Select from "ant-design-vue/es/select";
import { computed, ref, toRefs } from "vue";
import { useRouter } from "vue-router";

import { rooted } from "../api/base";
import { api, csrfToken, data, ONLY_NEW } from "../api/client";
import { PURPOSES } from "../api/school-file";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { useInAddress } from "../parts/in-address";
import { freeKey } from "../parts/keys";
import { BLANK } from "./fresh";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { fieldLabel, readField } from "./field-words";

const router = useRouter();
const notice = useNotice();
const { options } = useThings();
const { q, course, purpose, use } = toRefs(useInAddress({ q: "", course: "", purpose: "", use: "" }));
const asking = ref(false);
const name = ref("");
const starter = ref("");
const file = ref<HTMLInputElement>();
const brought = ref<{ subject: string; blocks: Record<string, unknown>[] } | null>(null);
const { data: letters } = useQuery({ queryKey: ["letters"], queryFn: () => data(api.GET("/api/letters")) });
const { data: starters } = useQuery({
  queryKey: ["letter-starters"],
  queryFn: () => data(api.GET("/api/letters/starters")),
  staleTime: Infinity,
  enabled: asking,
});
const layouts = computed(() => [...new Set((letters.value ?? []).map((one) => one.layout))]);
const shown = computed(() => {
  const words = q.value.toLowerCase().split(/\s+/);
  return (letters.value ?? []).filter(
    (l) =>
      words.every((word) => `${l.name} ${l.subject} ${l.used_by.join(" ")} ${l.text}`.toLowerCase().includes(word)) &&
      (!course.value || l.courses.includes(course.value)) &&
      (!purpose.value || l.purpose === purpose.value) &&
      (use.value === "" ||
        (use.value === "used"
          ? l.used_by.length > 0
          : use.value === "unused"
            ? !l.used_by.length
            : l.layout === use.value.slice(7))),
  );
});
/** A subject as pieces: text, and merge fields by their name. */
const pieces = (subject: string) =>
  subject
    .split(/(\{\{.*?\}\})/)
    .map((part) => (part.startsWith("{{") ? { field: fieldLabel(readField(part.slice(2, -2)).name) } : { text: part }));
/** Where a word that is searched for stands in the letter's text. */
function found(text: string): string {
  const word = q.value
    .toLowerCase()
    .split(/\s+/)
    .find((one) => one.length > 2 && text.toLowerCase().includes(one));
  const at = word ? text.toLowerCase().indexOf(word) : -1;
  return at < 0 ? "" : `… ${text.slice(Math.max(0, at - 40), at + 60).replace(/\{\{|\}\}/g, "")} …`;
}

function ask(): void {
  name.value = "";
  starter.value = "";
  brought.value = null;
  asking.value = true;
}
const create = useAct(
  async () => {
    if (starter.value)
      return (
        await data(api.POST("/api/letters/starters", { body: { starter: starter.value, name: name.value.trim() } }))
      ).key;
    const key = freeKey(
      name.value,
      (letters.value ?? []).map((l) => l.key),
    );
    const body = {
      name: name.value.trim(),
      purpose: "course_help",
      subject: brought.value?.subject ?? "",
      blocks: brought.value?.blocks ?? BLANK,
    };
    await data(api.PUT("/api/letters/{key}", { params: { path: { key }, header: ONLY_NEW }, body }));
    return key;
  },
  {
    done: (key) => {
      asking.value = false;
      void router.push(`/letters/${key}`);
    },
  },
);
function choose(key: string): void {
  starter.value = key;
  const one = starters.value?.find((other) => other.key === key);
  if (one && !name.value.trim()) name.value = one.name;
}
async function bring(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0];
  if (file.value) file.value.value = "";
  if (!chosen) return;
  const answer = await fetch(rooted(`/api/letters/read?${new URLSearchParams({ name: chosen.name })}`), {
    method: "POST",
    headers: { "X-CSRF-Token": csrfToken(), "Content-Type": "application/octet-stream" },
    body: chosen,
  });
  const read = (await answer.json().catch(() => ({}))) as {
    subject: string;
    blocks: Record<string, unknown>[];
    detail?: string;
  };
  if (!answer.ok) {
    notice.refused(new Error(read.detail ?? "This file can't be read."));
    return;
  }
  ask();
  brought.value = read;
  name.value = read.subject || chosen.name.replace(/\.[^.]+$/, "");
}
</script>

<template>
  <PageHead title="Letters"
    ><Button @click="file?.click()">From a file</Button
    ><input
      ref="file"
      type="file"
      accept=".eml,.html,.htm,.md,.markdown,.txt"
      class="visually-hidden"
      aria-label="Letter file"
      @change="bring"
    /><RouterLink to="/school/look"><Button>Look</Button></RouterLink
    ><Button type="primary" @click="ask">New letter</Button></PageHead
  >
  <div class="room">
    <div v-if="letters?.length" class="filters">
      <Input
        v-model:value="q"
        placeholder="Find in name, subject and text"
        aria-label="Find a letter"
        allow-clear
        style="width: 260px"
      />
      <Select
        v-model:value="course"
        v-named="'Course'"
        :options="[{ value: '', label: 'any course' }, ...(options.course ?? [])]"
        style="width: 170px"
      />
      <Select
        v-model:value="purpose"
        v-named="'Purpose'"
        :options="[
          { value: '', label: 'any purpose' },
          ...Object.entries(PURPOSES).map(([value, label]) => ({ value, label })),
        ]"
        style="width: 140px"
      />
      <Select
        v-model:value="use"
        v-named="'Use'"
        :options="[
          { value: '', label: 'used or not' },
          { value: 'used', label: 'in use' },
          { value: 'unused', label: 'used by nothing' },
          ...(layouts.length > 1
            ? layouts.map((one) => ({ value: `layout:${one}`, label: `in the layout ${one}` }))
            : []),
        ]"
        style="width: 190px"
      />
      <span class="soft">{{ shown.length }} of {{ letters.length }}</span>
    </div>
    <div v-if="shown.length" class="sheet scroll">
      <table class="plain cards">
        <thead>
          <tr>
            <th>Letter</th>
            <th>Purpose</th>
            <th>Used by</th>
            <th class="num">Sent</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="letter in shown" :key="letter.key" class="opens" @click="router.push(`/letters/${letter.key}`)">
            <td>
              <RouterLink :to="`/letters/${letter.key}`" class="name" @click.stop>{{ letter.name }}</RouterLink>
              <div class="soft">
                <template v-for="(piece, i) in pieces(letter.subject)" :key="i"
                  ><span v-if="'field' in piece" class="chip">{{ piece.field }}</span
                  ><template v-else>{{ piece.text }}</template></template
                ><i v-if="!letter.subject">no subject yet</i>
              </div>
              <div v-if="q && found(letter.text)" class="label">{{ found(letter.text) }}</div>
            </td>
            <td>
              <span class="pill">{{ PURPOSES[letter.purpose as keyof typeof PURPOSES] }}</span>
            </td>
            <td class="soft"><span class="by">Used by </span>{{ letter.used_by.join(", ") || "nothing yet" }}</td>
            <td class="num postmark" data-label="sent">
              <RouterLink
                :to="`/letters/${letter.key}/figures`"
                :aria-label="`${letter.sent} sent: what became of them`"
                @click.stop
                >{{ letter.sent }}</RouterLink
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <EmptyState v-else-if="letters?.length" title="No letter like that">Try another word, or fewer filters.</EmptyState>
    <EmptyState v-else-if="letters" title="No letters yet"
      >Write the first one: the letter that gives a new student their access. “New letter” has one to begin
      from.</EmptyState
    >
  </div>
  <AskDialog
    v-model:open="asking"
    title="New letter"
    ok="Write it"
    :busy="create.isPending.value"
    :ready="Boolean(name.trim())"
    @ok="create.mutate()"
  >
    <label
      >What do you call it? Students see the subject, not this name.<Input
        v-model:value="name"
        placeholder="Your place is ready"
    /></label>
    <p v-if="brought" class="soft">
      {{ brought.blocks.length }} {{ brought.blocks.length === 1 ? "block" : "blocks" }} from your file. Pictures in it
      stay where they were; upload them here so that they last.
    </p>
    <div v-else class="begin">
      <span class="soft">Begin with</span>
      <Dropdown :trigger="['click']"
        ><Button>{{ starters?.find((one) => one.key === starter)?.name ?? "an empty letter" }} ▾</Button
        ><template #overlay
          ><Menu class="starters" @click="({ key }) => choose(String(key) === '-' ? '' : String(key))"
            ><Menu.Item key="-">An empty letter</Menu.Item
            ><Menu.Item v-for="one in starters" :key="one.key"
              >{{ one.name }} <span class="label">{{ PURPOSES[one.purpose as keyof typeof PURPOSES] }}</span></Menu.Item
            ></Menu
          ></template
        ></Dropdown
      >
    </div>
  </AskDialog>
</template>

<style scoped>
.room {
  padding: 18px 22px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.filters,
.begin {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.begin {
  margin-top: 10px;
}
.scroll {
  overflow-x: auto;
}
.num {
  text-align: right !important;
}
.name {
  font: 600 15px var(--title);
  color: var(--ink);
  text-decoration: none;
}
.by {
  display: none;
}
:global(.starters) {
  max-height: 50vh;
  overflow: auto;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  .by {
    display: inline;
  }
  .num[data-label]::after {
    content: " " attr(data-label);
    font: 13px var(--text);
    color: var(--soft);
  }
}
</style>
