<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import Menu from "ant-design-vue/es/menu";
import Segmented from "ant-design-vue/es/segmented";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { type Block, type Letter, PURPOSES } from "../api/school-file";
import { useDraft } from "../parts/draft";
import EmptyState from "../parts/EmptyState.vue";
import LetterPaper from "../parts/LetterPaper.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { shownAs, suggest } from "../parts/shown-as";
import StudentPick from "../parts/StudentPick.vue";
import TestDialog from "../parts/TestDialog.vue";
import AnswersEdit from "./AnswersEdit.vue";
import FieldText from "./FieldText.vue";
import LetterFindings from "./LetterFindings.vue";
import { patched } from "./patched";

const props = defineProps<{ id: string }>();
const route = useRoute();
// Who came from a broadcast goes back to it.
const above = computed(() => (String(route.query.back ?? "").startsWith("/broadcasts/") ? { to: String(route.query.back), name: "Back to the broadcast" } : { to: "/letters", name: "Letters" }));
const key = computed(() => props.id);
const client = useQueryClient();
const notice = useNotice();
const { current, changed, restored, begin, undo, redo, discard, copy, settle, canUndo, canRedo } = useDraft<Letter>(() => `letter:${key.value}`);
const view = ref<string | number>("Desk");
const testing = ref(false);

const { data: found, error } = useQuery({ queryKey: ["letter", key], queryFn: () => data(api.GET("/api/letters/{key}", { params: { path: { key: key.value } } })) });
watch(found, (now) => {
  if (now && (!current.value || !changed.value)) begin(now.body as unknown as Letter);
}, { immediate: true });
const { data: fields } = useQuery({ queryKey: ["fields"], queryFn: () => data(api.GET("/api/letters/fields")), staleTime: Infinity });
const { courses } = useThings();
const { data: first } = useQuery({ queryKey: ["students", "first"], queryFn: () => data(api.GET("/api/students", { params: { query: { course: courses.value[0]?.key ?? "" } } })), staleTime: 600_000, enabled: computed(() => courses.value.length > 0) });
watch(first, (page) => suggest(page?.items), { immediate: true });

// The letter is looked at a moment after the last key, not at every one.
const looked = ref<Letter | null>(null);
let timer = 0;
watch(current, (now) => {
  clearTimeout(timer);
  timer = window.setTimeout(() => (looked.value = now ? (JSON.parse(JSON.stringify(now)) as Letter) : null), looked.value ? 250 : 0);
}, { deep: true, immediate: true });
const { data: preview, error: blankError } = useQuery({
  queryKey: ["preview", looked, shownAs],
  queryFn: () => data(api.POST("/api/letters/preview", { body: { letter: looked.value as unknown as Record<string, unknown>, student: shownAs.value } })),
  enabled: computed(() => Boolean(looked.value && shownAs.value)),
  placeholderData: keepPreviousData,
});

const FRESH: Record<string, () => Block> = {
  text: () => ({ kind: "text", html: "<p></p>" }),
  button: () => ({ kind: "button", label: "Open the course", url: "{{ course.url }}" }),
  divider: () => ({ kind: "divider" }),
  answers: () => ({ kind: "answers", question: "How is it going?", answers: [{ key: "well", label: "Well", add_tags: [] }, { key: "stuck", label: "I am stuck", add_tags: [] }] }),
  picture: () => ({ kind: "picture", url: "https://", alt: "", link: null }),
};
function addBlock(kind: string, at: number): void {
  const fresh = FRESH[kind];
  if (current.value && fresh) current.value.blocks = [...current.value.blocks.slice(0, at), fresh(), ...current.value.blocks.slice(at)];
}
function moveBlock(at: number, by: number): void {
  const blocks = [...(current.value?.blocks ?? [])];
  const [block] = blocks.splice(at, 1);
  if (!current.value || !block) return;
  blocks.splice(at + by, 0, block);
  current.value.blocks = blocks;
}
const removeBlock = (at: number) => current.value && (current.value.blocks = current.value.blocks.filter((_, i) => i !== at));

/** Findings at one place of the letter: its subject, its preheader, or one of its blocks. */
const at = (place: string) => (preview.value?.findings ?? []).filter((one) => one.pointer === place || one.pointer.startsWith(`${place}/`));
const elsewhere = computed(() => (preview.value?.findings ?? []).filter((one) => !["/subject", "/preheader"].includes(one.pointer) && !/^\/blocks\/\d/.test(one.pointer)));
const mend = (one: Api["FindingOut"]) => one.mend && current.value && (current.value = patched(current.value, one.mend.patch));

const save = useMutation({
  mutationFn: (body: Letter) => data(api.PUT("/api/letters/{key}", { params: { path: { key: key.value } }, body: body as unknown as Record<string, unknown> })),
  onSuccess: (saved, sent) => {
    settle(sent);
    notice.done(`Saved as version ${saved.version}. From now on this is what goes out.`);
    void client.invalidateQueries();
  },
  onError: (refused) => notice.refused(refused),
});
const KINDS: Record<Block["kind"], string> = { text: "Text", button: "Button", picture: "Picture", divider: "Line", answers: "Answers" };
</script>

<template>
  <template v-if="current && found">
    <PageHead :title="current.name" :above="above">
      <template #title><h1 class="name"><Input v-model:value="current.name" :bordered="false" aria-label="Name of the letter" :style="{ width: Math.min(44, Math.max(16, current.name.length + 1)) + 'ch' }" /></h1></template>
      <template #beside><span class="soft">{{ found.used_by.length ? `Used by ${found.used_by.join(", ")}` : "Nothing uses it yet" }}</span></template>
      <Button :disabled="!shownAs" @click="testing = true">Send me a test</Button>
      <Button :disabled="!canUndo" @click="undo">Undo</Button><Button :disabled="!canRedo" @click="redo">Redo</Button>
      <Button type="primary" :disabled="!changed" :loading="save.isPending.value" @click="save.mutate(copy())">{{ changed ? "Save" : `Version ${found.version} saved` }}</Button>
    </PageHead>
    <div v-if="restored && changed" class="note" role="status">Unsaved changes from earlier are shown. <button class="link" @click="discard">Show what is saved instead</button></div>
    <div class="desk">
      <section class="write">
        <div class="two">
          <div class="grow"><div class="label">Subject</div><FieldText v-model="current.subject" label="Subject" :fields="fields ?? []" /><LetterFindings :found="at('/subject')" @mend="mend" /></div>
          <div><div class="label">Purpose</div><Select v-model:value="current.purpose" v-named="'Purpose'" :options="Object.entries(PURPOSES).map(([value, label]) => ({ value, label }))" style="width: 140px" /></div>
        </div>
        <div><div class="label">Preheader: the line that inboxes show beside the subject</div><FieldText v-model="current.preheader" label="Preheader" :fields="fields ?? []" /><LetterFindings :found="at('/preheader')" @mend="mend" /></div>
        <LetterFindings :found="elsewhere" @mend="mend" />
        <div v-for="(block, index) in current.blocks" :key="index" class="block">
          <header><span class="label">{{ KINDS[block.kind] }}</span>
            <Button size="small" type="text" :disabled="!index" :aria-label="`Move ${KINDS[block.kind]} up`" @click="moveBlock(index, -1)">↑</Button>
            <Button size="small" type="text" :disabled="index === current.blocks.length - 1" :aria-label="`Move ${KINDS[block.kind]} down`" @click="moveBlock(index, 1)">↓</Button>
            <Button size="small" type="text" @click="removeBlock(index)">Remove</Button></header>
          <FieldText v-if="block.kind === 'text'" v-model="block.html" lines :label="`Text ${index + 1}`" :fields="fields ?? []" />
          <div v-else-if="block.kind === 'button'" class="button-block">
            <span class="label">says</span><FieldText v-model="block.label" label="Button text" :fields="fields ?? []" />
            <span class="label">leads to</span><FieldText v-model="block.url" label="Button address" :fields="fields ?? []" />
          </div>
          <hr v-else-if="block.kind === 'divider'" />
          <AnswersEdit v-else-if="block.kind === 'answers'" :model-value="block" :fields="fields ?? []" @update:model-value="(now) => current && (current.blocks[index] = now)" />
          <div v-else-if="block.kind === 'picture'" class="button-block">
            <span class="label">address</span><FieldText v-model="block.url" label="Picture address" :fields="fields ?? []" />
            <span class="label">in words</span><FieldText v-model="block.alt" label="Picture in words" :fields="fields ?? []" />
          </div>
          <LetterFindings :found="at(`/blocks/${index}`)" @mend="mend" />
        </div>
        <Dropdown :trigger="['click']">
          <Button shape="round" class="more">+ Add text, a button, answers …</Button>
          <template #overlay><Menu @click="({ key: kind }) => addBlock(String(kind), current?.blocks.length ?? 0)"><Menu.Item key="text">Text</Menu.Item><Menu.Item key="button">Button</Menu.Item><Menu.Item key="answers">Answer links</Menu.Item><Menu.Item key="picture">Picture</Menu.Item><Menu.Item key="divider">Line</Menu.Item></Menu></template>
        </Dropdown>
      </section>
      <aside class="look" aria-label="As a student sees it">
        <div class="seen"><span class="label">Seen as</span><StudentPick v-model="shownAs" label="See the letter as this student" /><Segmented v-model:value="view" :options="['Desk', 'Phone', 'Plain text']" size="small" /></div>
        <p v-if="blankError" class="blank" role="alert">▲ {{ blankError.message }}</p>
        <template v-else-if="preview">
          <p v-if="preview.blank" class="blank" role="alert">▲ {{ preview.blank }} The letter would wait for you.</p>
          <div class="envelope sheet"><div class="subject" data-testid="seen-subject">{{ preview.subject || "(no subject)" }}</div><div class="label">{{ preview.preheader }}</div></div>
          <pre v-if="view === 'Plain text'" class="sheet plain-text">{{ preview.text }}</pre>
          <LetterPaper v-else :html="preview.html" :narrow="view === 'Phone'" title="The letter as this student sees it" />
        </template>
        <p v-else-if="!shownAs" class="soft">Add a student, and the letter shows here as they would see it.</p>
      </aside>
    </div>
  </template>
  <TestDialog v-if="testing && current" :address="(body) => data(api.POST('/api/letters/{key}/test', { params: { path: { key } }, body: { ...body, letter: current as unknown as Record<string, unknown> } })).then((one) => [one])" @close="testing = false" />
  <template v-else-if="error"><PageHead title="Letter" :above="{ to: '/letters', name: 'Letters' }" /><EmptyState title="This letter can't be shown">{{ error.message }}</EmptyState></template>
</template>

<style scoped>
.name :deep(input) { font: 600 21px var(--title); padding: 2px 4px; max-width: 100%; }
.note { background: var(--warn-bg); color: var(--warn); padding: 7px 22px; }
.desk { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 440px); flex: 1; min-height: 0; }
.write { padding: 18px 22px 40px; display: flex; flex-direction: column; gap: 14px; overflow-y: auto; align-items: stretch; }
.two { display: flex; gap: 14px; flex-wrap: wrap; } .grow { flex: 1; min-width: 240px; }
.block header { display: flex; align-items: center; gap: 2px; } .block header .label { margin-right: auto; }
.button-block { display: grid; grid-template-columns: auto minmax(0, 1fr); gap: 8px 10px; align-items: center; background: var(--sheet2); border: 1px solid var(--rule); border-radius: 6px; padding: 10px; }
.more { align-self: flex-start; } hr { border: 0; border-top: 1px solid var(--rule); margin: 6px 0; }
.look { background: var(--sheet2); border-left: 1px solid var(--rule); padding: 14px 18px; overflow-y: auto; display: flex; flex-direction: column; gap: 10px; }
.seen { display: flex; align-items: center; gap: 8px; flex-wrap: wrap; } .blank { color: var(--warn); margin: 0; }
.envelope { padding: 9px 14px; } .subject { font: 600 16px/1.35 var(--letter); overflow-wrap: anywhere; }
.plain-text { white-space: pre-wrap; overflow-wrap: anywhere; padding: 14px; margin: 0; font: 13.5px/1.5 var(--mark); }
@media (max-width: 900px) { .desk { display: block; overflow: auto; } .write { overflow: visible; padding: 14px; } .look { border-left: 0; border-top: 1px solid var(--rule); } }
</style>
