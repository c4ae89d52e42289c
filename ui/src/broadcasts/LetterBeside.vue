<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Segmented from "ant-design-vue/es/segmented";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";

import { api, data } from "../api/client";
import LetterPaper from "../parts/LetterPaper.vue";
import { shownAs } from "../parts/shown-as";
import { isWriting } from "../parts/typing";

/** The letter as one of its real recipients sees it; the arrow keys go to the next and the one before. */
const props = defineProps<{ letter: string; course: string | null; recipients: { key: string; ticked: boolean }[] }>();
const view = ref<string | number>("Desk");
const people = computed(() => props.recipients.filter((one) => one.ticked));
const place = computed(() => people.value.findIndex((one) => one.key === shownAs.value));
watch(
  people,
  (now) => {
    if (now.length && place.value < 0) shownAs.value = now[0]?.key ?? "";
  },
  { immediate: true },
);
function go(by: number): void {
  const next = people.value[(place.value + by + people.value.length) % people.value.length];
  if (next) shownAs.value = next.key;
}
function key(event: KeyboardEvent): void {
  if (isWriting(event) || (event.target as HTMLElement).closest(".ant-radio-group, .ant-segmented")) return;
  if (event.altKey || event.ctrlKey || event.metaKey) return;
  if (event.key === "n" || event.key === "ArrowRight") go(1);
  if (event.key === "p" || event.key === "ArrowLeft") go(-1);
}
onMounted(() => window.addEventListener("keydown", key));
onBeforeUnmount(() => window.removeEventListener("keydown", key));

const { data: letter } = useQuery({
  queryKey: ["letter", computed(() => props.letter)],
  queryFn: () => data(api.GET("/api/letters/{key}", { params: { path: { key: props.letter } } })),
  enabled: computed(() => props.letter !== ""),
});
const { data: seen, error } = useQuery({
  queryKey: ["preview", computed(() => letter.value?.body), shownAs, computed(() => props.course)],
  queryFn: () =>
    data(
      api.POST("/api/letters/preview", {
        body: { letter: letter.value?.body ?? {}, student: shownAs.value, course: props.course },
      }),
    ),
  enabled: computed(() => Boolean(letter.value && shownAs.value)),
  placeholderData: keepPreviousData,
});
const { data: who } = useQuery({
  queryKey: ["student", shownAs],
  queryFn: () => data(api.GET("/api/students/{key}", { params: { path: { key: shownAs.value } } })),
  enabled: computed(() => shownAs.value !== ""),
});
</script>

<template>
  <div class="beside">
    <div class="seen">
      <span class="label">Seen as</span
      ><Button size="small" aria-label="The one before (p)" :disabled="people.length < 2" @click="go(-1)"
        >‹ Before</Button
      ><b class="chip"
        ><bdi>{{ who?.name ?? "…" }}</bdi></b
      ><Button size="small" aria-label="The next one (n)" :disabled="people.length < 2" @click="go(1)">Next ›</Button
      ><Segmented v-model:value="view" :options="['Desk', 'Phone', 'Plain text']" size="small" class="views" />
    </div>
    <p v-if="error" class="blank" role="alert">▲ {{ error.message }}</p>
    <template v-else-if="seen">
      <p v-if="seen.blank" class="blank" role="alert">▲ {{ seen.blank }}</p>
      <div class="sheet envelope">
        <div class="subject" data-testid="seen-subject">{{ seen.subject || "(no subject yet)" }}</div>
        <div class="label">{{ seen.preheader }}</div>
      </div>
      <pre v-if="view === 'Plain text'" class="sheet">{{ seen.text }}</pre>
      <LetterPaper v-else :html="seen.html" :narrow="view === 'Phone'" title="The letter as this student sees it" />
    </template>
  </div>
</template>

<style scoped>
.beside {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.seen {
  display: flex;
  gap: 6px;
  align-items: center;
  flex-wrap: wrap;
}
.views {
  margin-left: auto;
}
.chip {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.envelope {
  padding: 8px 14px;
}
.subject {
  font: 600 16px/1.35 var(--letter);
  overflow-wrap: anywhere;
}
.blank {
  color: var(--warn);
  margin: 0;
}
pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  padding: 14px;
  margin: 0;
  font: 13.5px/1.5 var(--mark);
}
</style>
