<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import Menu from "ant-design-vue/es/menu";
import Modal from "ant-design-vue/es/modal";
import { applyPatch, type Operation } from "fast-json-patch";
import { computed, nextTick, provide, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, type Api, begunFrom, data } from "../api/client";
import type { Sequence, Step } from "../api/school-file";
import { useThings } from "../api/things";
import ClashDialog from "../parts/ClashDialog.vue";
import { useDraft } from "../parts/draft";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { suggest } from "../parts/shown-as";
import AddStep from "./AddStep.vue";
import { EDITING } from "./editing";
import RunDialog from "./RunDialog.vue";
import SaveDialog from "./SaveDialog.vue";
import StartSentence from "./StartSentence.vue";
import StepPanel from "./StepPanel.vue";
import StepTree from "./StepTree.vue";
import * as tree from "./tree";
import TestDialog from "../parts/TestDialog.vue";
import VersionsDialog from "./VersionsDialog.vue";
import { STATUS } from "./words";

const props = defineProps<{ id: string }>();
const key = computed(() => props.id);
const client = useQueryClient();
const notice = useNotice();
const router = useRouter();
const route = useRoute();
const { current, changed, restored, edition, clash, base, begin, undo, redo, discard, copy, settle, refused, resolve, canUndo, canRedo } = useDraft<Sequence>(() => `sequence:${key.value}`);
const chosen = ref("");
const asked = ref("");
const versions = ref(false);
const testing = ref(false);
const effect = ref<Api["Effect"] | null>(null);
const missed = ref<Api["MissedOut"][] | null>(null);
const { things, courses } = useThings();
const plain = () => current.value as unknown as Record<string, unknown>;

const { data: found, error } = useQuery({
  queryKey: ["sequence", key],
  queryFn: () => data(api.GET("/api/sequences/{key}", { params: { path: { key: key.value } } })),
});
const { data: letters } = useQuery({ queryKey: ["letters"], queryFn: () => data(api.GET("/api/letters")) });
const { data: checked } = useQuery({
  queryKey: ["sequence-check", current],
  queryFn: () => data(api.POST("/api/sequences/check", { body: plain() })),
  enabled: computed(() => current.value !== null),
  placeholderData: keepPreviousData,
});
const { data: there } = useQuery({
  queryKey: ["inside", key, asked],
  queryFn: () => data(api.GET("/api/sequences/{key}/steps/{step}/students", { params: { path: { key: key.value, step: asked.value } } })),
  enabled: computed(() => asked.value !== ""),
});
const { data: kept } = useQuery({
  queryKey: ["kept", key],
  queryFn: () => data(api.GET("/api/sequences/{key}/rehearsals", { params: { path: { key: key.value } } })),
});
const changedRehearsals = computed(() => (kept.value ?? []).filter((one) => one.changes.length));

watch(found, (now) => {
  // What is being edited is not pulled away when figures are read again.
  if (now) begin(now.body as unknown as Sequence, now.edition);
  if (now && !chosen.value) chosen.value = String(route.query.step ?? "") || (current.value?.steps[0]?.id ?? "");
}, { immediate: true });
const { data: first } = useQuery({ queryKey: ["students", "first"], queryFn: () => data(api.GET("/api/students", { params: { query: { course: courses.value[0]?.key ?? "" } } })), staleTime: 600_000, enabled: computed(() => courses.value.length > 0) });
watch(first, (page) => suggest(page?.items), { immediate: true });

const step = computed({
  get: () => (current.value ? tree.find(current.value, chosen.value)?.step : undefined),
  set: (now) => current.value && now && tree.replace(current.value, now),
});
const marks = computed(() => new Map((checked.value?.marks ?? []).map((mark) => [mark.step, mark])));
const findings = computed(() => checked.value?.findings ?? []);
const faults = computed(() => findings.value.filter((finding) => finding.level === "fault"));
const elsewhere = computed(() => findings.value.filter((finding) => !finding.step));
const letterMap = computed(() => new Map((letters.value ?? []).map((letter) => [letter.key, letter])));
const names = computed(() => new Map([...(things.value?.sequences ?? []), ...(things.value?.courses ?? [])].map((one) => [one.key, one.title])));
const course = computed(() => {
  const start = current.value?.starts[0];
  const inner = start?.lesson ?? start?.quiz ?? start?.module;
  return (start?.course as string | undefined) ?? (inner ? String(inner).split("/")[0] : courses.value[0]?.key);
});

function add(kind: string, owner: string | null, lane: string, index: number): void {
  if (!current.value) return;
  const made: Step = tree.fresh(current.value, kind, course.value);
  tree.insert(current.value, { owner, lane, index }, made);
  chosen.value = made.id;
  void nextTick(() => document.querySelector<HTMLElement>(`[data-step="${made.id}"] [aria-pressed]`)?.focus());
}
function addAfter(kind: string): void {
  const spot = current.value && tree.find(current.value, chosen.value)?.spot;
  if (spot && !(kind === "waypoint" && spot.owner)) add(kind, spot.owner, spot.lane, spot.index + 1);
  else add(kind, null, "", current.value?.steps.length ?? 0);
}
function act(change: (sequence: Sequence, id: string) => boolean | string): void {
  if (!current.value || !chosen.value) return;
  const result = change(current.value, chosen.value);
  if (typeof result === "string") chosen.value = result;
  else void nextTick(() => document.querySelector<HTMLElement>(`[data-step="${chosen.value}"] [aria-pressed]`)?.focus());
}
function duplicate(): void {
  const place = current.value && tree.find(current.value, chosen.value);
  if (!current.value || !place) return;
  const copy = tree.copyOf(current.value, place.step);
  tree.insert(current.value, { ...place.spot, index: place.spot.index + 1 }, copy);
  chosen.value = copy.id;
}
function choose(by: 1 | -1): void {
  const order = [...tree.walk(current.value?.steps ?? [])].map((one) => one.step.id);
  const next = order[order.indexOf(chosen.value) + by];
  if (!next) return;
  chosen.value = next;
  document.querySelector<HTMLElement>(`[data-step="${next}"] [aria-pressed]`)?.focus();
}
/** One click: the finding's patch is applied to what is being edited, or to the letter, which is saved at once. */
async function mend(finding: Api["FindingOut"]): Promise<void> {
  if (!finding.mend || !current.value) return;
  const patch = finding.mend.patch as unknown as Operation[];
  if (finding.mend.target === "sequence") {
    current.value = applyPatch(JSON.parse(JSON.stringify(current.value)) as Sequence, patch).newDocument;
    return;
  }
  try {
    const place = { params: { path: { key: finding.mend.key } } };
    const letter = await data(api.GET("/api/letters/{key}", place));
    const body = applyPatch(letter.body, patch).newDocument;
    await data(api.PUT("/api/letters/{key}", { params: { ...place.params, header: begunFrom(letter.edition) }, body }));
    notice.done("The letter is mended and saved.");
    void client.invalidateQueries();
  } catch (error) {
    notice.refused(error);
  }
}
provide(EDITING, {
  chosen, marks, findings, names, add, mend,
  phrases: computed(() => checked.value?.phrases ?? {}),
  figures: computed(() => found.value?.figures ?? {}),
  letters: letterMap,
  who: (id: string) => (asked.value = id),
});

// What every new sequence still lacks is no alarm.
const MISSING = ["no_start", "no_steps"];
const KEYS = Object.fromEntries(tree.KINDS.filter((kind) => kind.key).map((kind) => [kind.key, kind.do]));
function keys(event: KeyboardEvent): void {
  const typing = (event.target as HTMLElement).closest("input, textarea, [contenteditable], .ant-select, .ant-dropdown, .panel");
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z" && !typing) {
    event.preventDefault();
    (event.shiftKey ? redo : undo)();
    return;
  }
  if (typing || event.ctrlKey || event.metaKey) return;
  const acts: Record<string, () => void> = event.altKey
    ? { ArrowUp: () => act((s, id) => tree.move(s, id, -1)), ArrowDown: () => act((s, id) => tree.move(s, id, 1)), ArrowRight: () => act(tree.moveIn), ArrowLeft: () => act(tree.moveOut) }
    : { ArrowUp: () => choose(-1), ArrowDown: () => choose(1), Delete: () => act(tree.remove), c: duplicate };
  const done = acts[event.key] ?? (!event.altKey && KEYS[event.key] ? () => addAfter(KEYS[event.key] as string) : undefined);
  if (done) {
    event.preventDefault();
    done();
  }
}

const save = useMutation({
  mutationFn: async ({ body, move }: { body: Sequence; move: boolean }) => {
    const place = { params: { path: { key: key.value } } };
    const from = { params: { ...place.params, header: begunFrom(edition.value) } };
    const saved = await data(api.PUT("/api/sequences/{key}", { ...from, body: body as unknown as Record<string, unknown> }));
    const moved = move ? (await data(api.POST("/api/sequences/{key}/move", place))).moved : 0;
    return { ...saved, moved };
  },
  onSuccess: (saved, { body }) => {
    settle(body, saved.edition);
    effect.value = null;
    const people = saved.moved ? ` ${saved.moved} students moved to it.` : saved.staying ? ` ${saved.staying} students inside finish on the version they are on.` : "";
    notice.done(`Saved as version ${saved.version}.${people}`);
    client.setQueryData(["sequence", key.value], (old: Api["SequenceOut"] | undefined) => old && { ...old, body, version: saved.version, edition: saved.edition });
    void readAgain();
  },
  onError: (error) => {
    effect.value = null;
    return refused(error, async () => {
      const now = await data(api.GET("/api/sequences/{key}", { params: { path: { key: key.value } } }));
      return { body: now.body as unknown as Sequence, edition: now.edition };
    });
  },
});
function chooseEdition(body: Sequence): void {
  resolve(body);
  askEffect.mutate(copy());
}
/** What a save may have changed elsewhere; the editor can be used on meanwhile. */
async function readAgain(): Promise<void> {
  await client.invalidateQueries();
  const many = changedRehearsals.value.length;
  if (many) notice.refused(new Error(`${many} kept rehearsal${many > 1 ? "s" : ""} now come out differently. Look at Rehearse.`));
}
const askEffect = useMutation({
  mutationFn: (body: Sequence) => data(api.POST("/api/sequences/{key}/effect", { params: { path: { key: key.value } }, body: body as unknown as Record<string, unknown> })),
  onSuccess: (found, body) => (found.inside ? (effect.value = found) : save.mutate({ body, move: false })),
  onError: (error) => notice.refused(error),
});
const setStatus = useMutation({
  mutationFn: (body: Api["StatusChange"]) => data(api.POST("/api/sequences/{key}/status", { params: { path: { key: key.value } }, body })),
  onSuccess: (now) => {
    missed.value = null;
    notice.done(now.status === "running" ? "Running: students come in from now on." : now.status === "paused" ? "Paused: nobody new comes in, and those inside wait where they are." : "Closed: nobody new comes in; those inside go on to the end.");
    void client.invalidateQueries();
  },
  onError: (error) => notice.refused(error),
});
async function run(): Promise<void> {
  const found = await data(api.GET("/api/sequences/{key}/missed", { params: { path: { key: key.value } } }));
  if (found.length) missed.value = found;
  else setStatus.mutate({ status: "running", start_missed: false });
}
const whyNot = computed(() => (changed.value ? "Save first" : (faults.value[0]?.sentence ?? "")));
</script>

<template>
  <template v-if="current && found">
    <PageHead :title="current.name" :above="{ to: '/sequences', name: 'Sequences' }">
      <template #title><h1 class="name"><Input v-model:value="current.name" :bordered="false" aria-label="Name of the sequence" :style="{ width: Math.min(40, Math.max(12, 0.8 * current.name.length + 1)) + 'ch' }" /></h1></template>
      <template #beside>
        <span class="pill" :class="found.status" data-testid="status">{{ STATUS[found.status] }}</span>
        <button class="link soft counts" @click="versions = true">{{ found.inside }} inside · {{ found.finished }} finished · {{ found.left }} left early</button>
      </template>
      <Button @click="router.push(`/sequences/${key}/rehearsal`)">Rehearse</Button>
      <Button v-if="found.status === 'running'" :loading="setStatus.isPending.value" @click="setStatus.mutate({ status: 'paused', start_missed: false })">Pause</Button>
      <Button v-else :loading="setStatus.isPending.value" :disabled="Boolean(whyNot)" :title="whyNot" @click="run">Run</Button>
      <Button type="primary" :disabled="!changed || !checked?.readable" :loading="askEffect.isPending.value || save.isPending.value" @click="askEffect.mutate(copy())">{{ changed ? `Save as version ${found.version + 1}` : `Version ${found.version} saved` }}</Button>
      <Dropdown :trigger="['click']"><Button aria-label="More">⋯</Button>
        <template #overlay><Menu>
          <Menu.Item key="versions" @click="versions = true">Versions</Menu.Item>
          <Menu.Item key="test" @click="testing = true">Send me all its letters as tests</Menu.Item>
          <Menu.Item key="close" :disabled="found.status === 'closed'" @click="setStatus.mutate({ status: 'closed', start_missed: false })">Close: nobody new comes in</Menu.Item>
        </Menu></template></Dropdown>
    </PageHead>
    <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="chooseEdition" />
    <div v-if="restored && changed" class="note" role="status">Unsaved changes from earlier are shown. <button class="link" @click="discard">Show what is saved instead</button></div>
    <div v-if="changedRehearsals.length" class="note" role="status">▲ {{ changedRehearsals.map((one) => `“${one.name}”`).join(", ") }} came out differently at the last save. <RouterLink :to="`/sequences/${key}/rehearsal`">See what changed</RouterLink></div>
    <div v-for="(finding, index) in elsewhere" :key="index" class="note" :class="MISSING.includes(finding.code) ? 'hint' : finding.level" :role="finding.level === 'fault' ? 'alert' : 'status'">{{ MISSING.includes(finding.code) ? "○" : finding.level === "fault" ? "✗" : "▲" }} {{ finding.sentence }} <button v-if="finding.mend" class="link" @click="mend(finding)">{{ finding.mend.label }}</button></div>
    <StartSentence v-model="current" :checked="checked" />
    <div class="desk" @keydown="keys">
      <div class="ruler">
        <EmptyState v-if="!current.steps.length" title="No steps yet">Begin with the letter that goes out first.</EmptyState>
        <StepTree :steps="current.steps" :owner="null" lane="" />
        <div class="end">
          <AddStep label="Add a step at the end" text="+ Add a letter, a wait, a branch …" top data-testid="add-last" @add="(kind) => add(kind, null, '', current?.steps.length ?? 0)" />
          <span class="label wide-only">L letter · W wait · F wait for · B branch · P waypoint · ↑ ↓ choose · Alt with arrows moves · C copies · Delete · Ctrl Z</span>
        </div>
      </div>
      <aside class="panel" aria-label="The chosen step">
        <div v-if="step" class="tools">
          <Button size="small" aria-label="Move up" @click="act((s, id) => tree.move(s, id, -1))">↑</Button><Button size="small" aria-label="Move down" @click="act((s, id) => tree.move(s, id, 1))">↓</Button>
          <Button size="small" aria-label="Move into the lane above" title="Into the lane above" @click="act(tree.moveIn)">→</Button><Button size="small" aria-label="Move out of the lane" title="Out of its lane" @click="act(tree.moveOut)">←</Button>
          <Button size="small" @click="duplicate">Copy</Button><Button size="small" danger @click="act(tree.remove)">Remove</Button>
          <span class="grow"></span><Button size="small" :disabled="!canUndo" aria-label="Undo" title="Undo (Ctrl Z)" @click="undo">↶</Button><Button size="small" :disabled="!canRedo" aria-label="Redo" title="Redo (Ctrl Shift Z)" @click="redo">↷</Button>
        </div>
        <div v-else class="tools"><span class="grow"></span><Button size="small" :disabled="!canUndo" aria-label="Undo" title="Undo (Ctrl Z)" @click="undo">↶</Button><Button size="small" :disabled="!canRedo" aria-label="Redo" title="Redo (Ctrl Shift Z)" @click="redo">↷</Button></div>
        <StepPanel v-if="step" :key="step.id" v-model="step" :mark="marks.get(step.id)" :sequence="key" />
        <p v-else class="soft none">Choose a step to see and change it.</p>
      </aside>
    </div>
    <Modal :open="asked !== ''" title="Standing here now" :footer="null" @cancel="asked = ''">
      <ul class="who"><li v-for="person in there" :key="person.key"><RouterLink :to="`/students/${person.key}`">{{ person.name }}</RouterLink> <span class="label">{{ person.until ? `until ${person.until} where they live` : "until something happens" }}<template v-if="person.round"> · round {{ person.round }}</template></span></li></ul>
    </Modal>
    <TestDialog v-if="testing" :address="(body) => data(api.POST('/api/sequences/{key}/test', { params: { path: { key } }, body }))" @close="testing = false" />
    <VersionsDialog :open="versions" :id="key" @close="versions = false" />
    <SaveDialog :effect="effect" :version="found.version + 1" @cancel="effect = null" @save="(move) => save.mutate({ body: copy(), move })" />
    <RunDialog :missed="missed" :name="current.name" @cancel="missed = null" @run="(also) => setStatus.mutate({ status: 'running', start_missed: also })" />
  </template>
  <template v-else-if="error"><PageHead title="Sequence" :above="{ to: '/sequences', name: 'Sequences' }" /><EmptyState title="This sequence can't be shown">{{ error.message }}</EmptyState></template>
</template>

<style scoped>
.name :deep(input) { font: 600 21px var(--title); padding: 2px 4px; max-width: 100%; }
.counts { font-size: 13.5px; color: var(--soft); text-decoration: none; } .counts:hover { text-decoration: underline; }
.note.hint { background: var(--act-bg); color: var(--act); border-color: #c5d8ec; } .note.fault { background: #fbe9e7; color: var(--red); } .note { background: var(--warn-bg); color: var(--warn); padding: 7px 22px; border-bottom: 1px solid #ecd39a; }
.desk { display: grid; grid-template-columns: minmax(0, 1fr) 372px; flex: 1; min-height: 0; }
.ruler { padding: 16px 22px 60px; overflow: auto; }
.end { padding: 14px 0 0 132px; display: flex; gap: 16px; align-items: center; flex-wrap: wrap; }
.panel { background: var(--sheet); border-left: 1px solid var(--rule); overflow-y: auto; }
.tools :deep(.ant-btn) { padding: 0 7px; min-width: 0; } .tools { display: flex; gap: 4px; padding: 10px 18px; border-bottom: 1px solid var(--rule2); background: var(--sheet2); flex-wrap: wrap; } .grow { flex: 1; }
.none { padding: 18px; } .who { padding-left: 18px; } .who li { padding: 3px 0; }
@media (max-width: 900px) { .desk { display: block; overflow: auto; } .ruler { padding: 12px 14px; overflow: visible; } .panel { border-left: 0; border-top: 1px solid var(--rule); } .end { padding-left: 0; } }
</style>
