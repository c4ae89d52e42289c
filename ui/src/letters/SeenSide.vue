<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Dropdown from "ant-design-vue/es/dropdown";
import Menu from "ant-design-vue/es/menu";
import Segmented from "ant-design-vue/es/segmented";
import { computed, onBeforeUnmount, onMounted, ref } from "vue";

import { api, type Api, data } from "../api/client";
import LetterPaper from "../parts/LetterPaper.vue";
import { shownAs } from "../parts/shown-as";
import StudentPick from "../parts/StudentPick.vue";
import { isWriting } from "../parts/typing";

/** The letter as one student sees it; n and p go to the next student and the one before. */
const props = defineProps<{ seen: Api["PreviewOut"] | undefined; error: Error | null }>();
const view = ref<string | number>("Desk");
const dark = ref(false);
const { data: page } = useQuery({
  queryKey: ["students", "seen"],
  queryFn: () => data(api.GET("/api/students")),
  staleTime: 600_000,
});
const { data: unusual } = useQuery({
  queryKey: ["letters", "examples"],
  queryFn: () => data(api.GET("/api/letters/examples")),
  staleTime: 600_000,
});
const people = computed(() => (page.value?.items ?? []).map((one) => one.key));
function go(by: number): void {
  const at = people.value.indexOf(shownAs.value);
  shownAs.value = people.value[(at + by + people.value.length) % people.value.length] ?? shownAs.value;
}
function key(event: KeyboardEvent): void {
  if (isWriting(event) || event.altKey || event.ctrlKey || event.metaKey) return;
  if (event.key === "n") go(1);
  if (event.key === "p") go(-1);
  // Somebody without a first name: what a letter says where nothing can be filled in.
  if (event.key === "u" && unusual.value?.nameless) shownAs.value = unusual.value.nameless;
}
onMounted(() => window.addEventListener("keydown", key));
onBeforeUnmount(() => window.removeEventListener("keydown", key));
// The dark colours are in the letter; here they are shown whatever this computer prefers.
const html = computed(() => {
  const found = props.seen?.html ?? "";
  return dark.value
    ? found.replaceAll("(prefers-color-scheme: dark)", "all")
    : found.replaceAll("(prefers-color-scheme: dark)", "(width: 0)");
});
</script>

<template>
  <aside class="look" aria-label="As a student sees it">
    <div class="seen">
      <span class="label">Seen as</span
      ><Button size="small" aria-label="The student before (p)" title="P" @click="go(-1)">‹ Before</Button
      ><StudentPick v-model="shownAs" label="See the letter as this student" /><Button
        size="small"
        aria-label="The next student (n)"
        title="N"
        @click="go(1)"
        >Next ›</Button
      >
    </div>
    <div class="seen">
      <Segmented v-model:value="view" :options="['Desk', 'Phone', 'Plain text']" size="small" /><Checkbox
        v-model:checked="dark"
        >Dark</Checkbox
      >
      <Dropdown :trigger="['click']"
        ><Button size="small" type="text">Somebody unusual</Button
        ><template #overlay
          ><Menu>
            <Menu.Item v-if="unusual?.longest" @click="shownAs = unusual.longest">The longest name</Menu.Item
            ><Menu.Item v-if="unusual?.nameless" @click="shownAs = unusual.nameless"
              >Without a first name <span class="label">U</span></Menu.Item
            >
          </Menu></template
        ></Dropdown
      >
    </div>
    <p v-if="error" class="blank" role="alert">▲ {{ error.message }}</p>
    <template v-else-if="seen">
      <p v-if="seen.blank" class="blank" role="alert">▲ {{ seen.blank }} The letter would wait for you.</p>
      <div class="inbox sheet" aria-label="As a line in an inbox on a phone">
        <span class="disc" aria-hidden="true">{{ seen.sender.slice(0, 1) }}</span>
        <div class="lines">
          <b class="cut">{{ seen.sender }}</b>
          <div class="subject cut" data-testid="seen-subject">{{ seen.subject || "(no subject)" }}</div>
          <div class="label cut">{{ seen.preheader || "(begins with the letter's first words)" }}</div>
        </div>
        <span class="label postmark">09:00</span>
      </div>
      <pre v-if="view === 'Plain text'" class="sheet plain-text">{{ seen.text }}</pre>
      <LetterPaper v-else :html="html" :narrow="view === 'Phone'" title="The letter as this student sees it" />
    </template>
    <p v-else-if="!shownAs" class="soft">Add a student, and the letter shows here as they would see it.</p>
  </aside>
</template>

<style scoped>
.look {
  background: var(--sheet2);
  border-left: 1px solid var(--rule);
  padding: 14px 18px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.seen {
  display: flex;
  align-items: center;
  gap: 6px;
  flex-wrap: wrap;
}
.look > :deep(*) {
  flex: none;
}
.blank {
  color: var(--warn);
  margin: 0;
}
.inbox {
  display: grid;
  grid-template-columns: 36px minmax(0, 1fr) auto;
  gap: 12px;
  padding: 10px 14px;
  width: 100%;
  max-width: 375px;
  flex: none;
}
.disc {
  width: 36px;
  height: 36px;
  border-radius: 50%;
  background: var(--rail);
  display: grid;
  place-items: center;
  font: 600 16px var(--title);
}
.cut {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.lines {
  min-width: 0;
}
.subject {
  font: 600 15px/1.4 var(--letter);
}
.plain-text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  padding: 14px;
  margin: 0;
  font: 13.5px/1.5 var(--mark);
}
@media (max-width: 900px) {
  .look {
    border-left: 0;
    border-top: 1px solid var(--rule);
  }
}
</style>
