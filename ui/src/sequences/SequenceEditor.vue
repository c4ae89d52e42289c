<script setup lang="ts">
import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import Menu from "ant-design-vue/es/menu";
import { applyPatch, type Operation } from "fast-json-patch";
import { computed, nextTick, provide, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, type Api, begunFrom, data } from "../api/client";
import type { Sequence } from "../api/school-file";
import { useThings } from "../api/things";
import { makeLetter } from "../letters/fresh";
import { ABOUT } from "../parts/about";
import ClashDialog from "../parts/ClashDialog.vue";
import { useDraft } from "../parts/draft";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { suggest } from "../parts/shown-as";
import TestDialog from "../parts/TestDialog.vue";
import AddStep from "./AddStep.vue";
import { EDITING } from "./editing";
import MinuteBar from "./MinuteBar.vue";
import MissingDialog from "./MissingDialog.vue";
import { usePutting } from "./putting";
import RunDialog from "./RunDialog.vue";
import SaveDialog from "./SaveDialog.vue";
import SequenceNotes from "./SequenceNotes.vue";
import SequencePeople from "./SequencePeople.vue";
import { useShortcuts } from "./shortcuts";
import StandingHere from "./StandingHere.vue";
import { useStepping } from "./stepping";
import StartSentence from "./StartSentence.vue";
import StepPanel from "./StepPanel.vue";
import StepTools from "./StepTools.vue";
import StepTree from "./StepTree.vue";
import * as tree from "./tree";
import VersionsDialog from "./VersionsDialog.vue";
import { STATUS } from "./words";
import { useAway } from "../parts/away";
import TakeOver from "../practice/TakeOver.vue";

const props = defineProps<{ id: string }>();
const key = computed(() => props.id);
const client = useQueryClient();
const notice = useNotice();
const router = useRouter();
const route = useRoute();
const draft = useDraft<Sequence>(() => `sequence:${key.value}`);
const { current, changed, restored, clash, base, begin, undo, redo, discard, copy, resolve, canUndo, canRedo } = draft;
const asked = ref("");
const people = ref<"" | "inside" | "finished" | "left">("");
const throwAway = useAway();
const versions = ref(false);
const testing = ref(false);
const lacking = ref(false);
const missing = ref<Api["FindingOut"][]>([]);
const { things, courses } = useThings();
const plain = () => current.value ?? {};

const { data: found, error } = useQuery({
  queryKey: ["sequence", key],
  queryFn: () => data(api.GET("/api/sequences/{key}", { params: { path: { key: key.value } } })),
});
const { save, askEffect, effect, setStatus, running, minute, work, moving, takeBack, busy } = usePutting(
  key,
  draft,
  found,
);
const { data: letters } = useQuery({ queryKey: ["letters"], queryFn: () => data(api.GET("/api/letters")) });
// What is found stands above all else: come later, it would push away what somebody is just clicking at.
const { data: checked, isPending: unchecked } = useQuery({
  queryKey: ["sequence-check", current],
  queryFn: () => data(api.POST("/api/sequences/check", { body: plain() })),
  enabled: computed(() => current.value !== null),
  placeholderData: keepPreviousData,
});
const { data: kept } = useQuery({
  queryKey: ["kept", key],
  queryFn: () => data(api.GET("/api/sequences/{key}/rehearsals", { params: { path: { key: key.value } } })),
});
const changedRehearsals = computed(() => (kept.value ?? []).filter((one) => one.changes.length));

// Who comes from the course line to take somebody in is asked at once.
watch(
  [found, changed],
  ([now]) => {
    if (!now || route.query.run === undefined || changed.value) return;
    running.value = true;
    void router.replace({ query: { ...route.query, run: undefined } });
  },
  { immediate: true },
);
const { data: first } = useQuery({
  queryKey: ["students", "first"],
  queryFn: () => data(api.GET("/api/students", { params: { query: { course: courses.value[0]?.key ?? "" } } })),
  staleTime: 600_000,
  enabled: computed(() => courses.value.length > 0),
});
watch(first, (page) => suggest(page?.items), { immediate: true });

const marks = computed(() => new Map((checked.value?.marks ?? []).map((mark) => [mark.step, mark])));
const findings = computed(() => checked.value?.findings ?? []);
const elsewhere = computed(() => findings.value.filter((finding) => !finding.step));
const letterMap = computed(() => new Map((letters.value ?? []).map((letter) => [letter.key, letter])));
const names = computed(
  () =>
    new Map([...(things.value?.sequences ?? []), ...(things.value?.courses ?? [])].map((one) => [one.key, one.title])),
);
const course = computed(() => checked.value?.about ?? courses.value[0]?.key);
provide(ABOUT, course);
const { chosen, step, add, addAfter, remove, move, duplicate, choose, goInto, back } = useStepping(current, course);
watch(
  found,
  (now) => {
    if (now) begin(now.body as Sequence, now.edition);
    if (now && !chosen.value) chosen.value = String(route.query.step ?? "") || (current.value?.steps[0]?.id ?? "");
  },
  { immediate: true },
);

/** One click: the finding's patch is applied to what is being edited, or to the letter, which is saved at once. */
async function mend(finding: Api["FindingOut"]): Promise<void> {
  if (!finding.mend || !current.value) return;
  const patch = finding.mend.patch as unknown as Operation[];
  if (finding.mend.target === "sequence") {
    current.value = applyPatch(JSON.parse(JSON.stringify(current.value)) as Sequence, patch).newDocument;
    return;
  }
  try {
    const place = { path: { key: finding.mend.key } };
    const letter = await data(api.GET("/api/letters/{key}", { params: place }));
    const body = applyPatch(letter.body, patch).newDocument;
    await data(api.PUT("/api/letters/{key}", { params: { ...place, header: begunFrom(letter.edition) }, body }));
    notice.done("The letter is mended and saved.");
    void client.invalidateQueries();
  } catch (failed) {
    notice.refused(failed);
  }
}
/** A letter for the chosen step is made, chosen, and opened to be written; the way back leads here. */
async function writeLetter(): Promise<void> {
  if (!current.value || !step.value) return;
  const [id, posts] = [step.value.id, ["send", "tell"]];
  const number =
    [...tree.walk(current.value.steps)]
      .filter((one) => posts.includes(one.step.do))
      .findIndex((one) => one.step.id === id) + 1;
  try {
    const letter = await makeLetter(`${current.value.name} · letter ${number}`);
    step.value = { ...step.value, letter };
    await client.invalidateQueries({ queryKey: ["letters"] });
    await nextTick();
    void router.push({ path: `/letters/${letter}`, query: { back: `/sequences/${key.value}?step=${id}` } });
  } catch (failed) {
    notice.refused(failed);
  }
}
provide(EDITING, {
  chosen,
  marks,
  findings,
  names,
  add,
  mend,
  writeLetter,
  phrases: computed(() => checked.value?.phrases ?? {}),
  figures: computed(() => found.value?.figures ?? {}),
  letters: letterMap,
  who: (id: string) => (asked.value = id),
});

const KEYS = Object.fromEntries(tree.KINDS.filter((kind) => kind.key).map((kind) => [kind.key, kind.do]));
const saveNow = () => changed.value && !busy.value && askEffect.mutate(copy());
useShortcuts(
  {
    save: saveNow,
    undo,
    redo,
    choose,
    move,
    remove,
    copy: duplicate,
    add: addAfter,
    leave: back,
  },
  KEYS,
);

function chooseEdition(body: Sequence): void {
  resolve(body);
  saveNow();
}
/** What is not saved is saved first; what is missing is listed; then the slip. */
async function run(): Promise<void> {
  // What is shown may be a moment old: asked is what stands there now.
  const now = await data(api.POST("/api/sequences/check", { body: plain() })).catch((failed: unknown) =>
    notice.refused(failed),
  );
  if (!now) return;
  missing.value = now.findings.filter((finding) => finding.level === "fault");
  if (missing.value.length) lacking.value = true;
  else if (changed.value) {
    await save.mutateAsync({ body: copy(), move: false }).catch(() => undefined);
    running.value = !changed.value;
  } else running.value = true;
}
const saved = computed(() => (found.value?.unfinished ? "Saved, unfinished" : `Version ${found.value?.version} saved`));
// The head keeps its height, however often a rehearsal comes out differently.
watch(changedRehearsals, (now, before) => {
  if (before && now.length > before.length)
    notice.refused(
      new Error(`${now.length} kept rehearsal${now.length > 1 ? "s" : ""} now come out differently. Look at Rehearse.`),
    );
});
</script>

<template>
  <template v-if="current && found && !unchecked">
    <PageHead :title="current.name" :above="{ to: '/sequences', name: 'Sequences' }">
      <template #title>
        <h1 class="name">
          <Input
            v-model:value="current.name"
            :bordered="false"
            aria-label="Name of the sequence"
            :style="{ width: Math.min(40, Math.max(12, 0.8 * current.name.length + 1)) + 'ch' }"
          />
        </h1>
      </template>
      <template #beside>
        <span class="pill" :class="found.status" data-testid="status">{{ STATUS[found.status] }}</span>
        <span class="counts">
          <button class="link soft" @click="people = 'inside'">{{ found.inside }} inside</button> ·
          <button class="link soft" @click="people = 'finished'">{{ found.finished }} finished</button> ·
          <button class="link soft" @click="people = 'left'">{{ found.left }} left early</button>
        </span>
      </template>
      <TakeOver :id="key" kind="sequence" :changed="changed" />
      <Button @click="router.push(`/sequences/${key}/rehearsal`)">Rehearse</Button>
      <Button
        v-if="found.status === 'running'"
        v-needs="'run'"
        :loading="setStatus.isPending.value"
        @click="setStatus.mutate({ status: 'paused' })"
        >Pause</Button
      >
      <Button v-else v-needs="'run'" :loading="setStatus.isPending.value" @click="run">Run</Button>
      <Button type="primary" class="save" :disabled="!changed" :loading="busy" title="Ctrl S" @click="saveNow">{{
        changed ? `Save as version ${found.version + 1}` : saved
      }}</Button>
      <Dropdown :trigger="['click']">
        <Button aria-label="More">⋯</Button>
        <template #overlay
          ><Menu>
            <Menu.Item key="figures" @click="router.push(`/sequences/${key}/figures`)">Figures</Menu.Item>
            <Menu.Item key="trial" @click="router.push(`/sequences/${key}/trial`)">Does it help?</Menu.Item>
            <Menu.Item key="people" @click="people = 'inside'">Its letters and its people</Menu.Item>
            <Menu.Item key="versions" @click="versions = true">Versions</Menu.Item>
            <Menu.Item key="test" @click="testing = true">Send me all its letters as tests</Menu.Item>
            <Menu.Item v-if="found.status === 'running'" key="take" @click="running = true"
              >Take in those to whom it has happened</Menu.Item
            >
            <Menu.Item
              v-if="['draft', 'closed'].includes(found.status)"
              key="away"
              danger
              @click="
                throwAway(
                  current.name,
                  () => api.DELETE('/api/sequences/{key}', { params: { path: { key } } }),
                  '/sequences',
                )
              "
              >Throw away</Menu.Item
            >
            <Menu.Item key="close" :disabled="found.status === 'closed'" @click="setStatus.mutate({ status: 'closed' })"
              >Close: nobody new comes in</Menu.Item
            >
          </Menu></template
        >
      </Dropdown>
    </PageHead>
    <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="chooseEdition" />
    <MinuteBar v-if="minute" :done="minute.done" :work="work" @back="takeBack" @over="minute = null" />
    <SequenceNotes
      :id="key"
      :restored="restored && changed"
      :different="changedRehearsals"
      :findings="elsewhere"
      @discard="discard"
      @mend="mend"
    />
    <StartSentence v-model="current" :checked="checked" :saved="!found.unfinished" />
    <div class="desk">
      <div class="ruler">
        <EmptyState v-if="!current.steps.length" title="No steps yet"
          >Begin with the letter that goes out first.</EmptyState
        >
        <StepTree :steps="current.steps" :owner="null" lane="" />
        <div class="end">
          <AddStep
            label="Add a step at the end"
            text="+ Add a letter, a wait, a branch …"
            top
            data-testid="add-last"
            @add="(kind) => add(kind, null, '', current?.steps.length ?? 0)"
          />
          <span class="label wide-only"
            >L letter · W wait · F wait for · B branch · P waypoint · ↑ ↓ choose · Alt with arrows moves · C copies ·
            Delete · Ctrl Z · Ctrl S saves · Escape back to the step</span
          >
        </div>
      </div>
      <aside class="panel" aria-label="The chosen step">
        <StepTools
          :step="step"
          :can-undo="canUndo"
          :can-redo="canRedo"
          @move="move"
          @copy="duplicate"
          @remove="remove"
          @undo="undo"
          @redo="redo"
        />
        <div v-if="step" :data-panel="step.id">
          <StepPanel :key="step.id" v-model="step" :mark="marks.get(step.id)" :sequence="key" />
        </div>
        <p v-else class="soft none">Choose a step to see and change it.</p>
      </aside>
    </div>
    <StandingHere v-if="asked" :id="key" :step="asked" @close="asked = ''" />
    <TestDialog
      v-if="testing"
      :address="(body) => data(api.POST('/api/sequences/{key}/test', { params: { path: { key } }, body }))"
      @close="testing = false"
    />
    <SequencePeople v-if="people" :id="key" v-model:group="people" @close="people = ''" />
    <VersionsDialog :id="key" :open="versions" @close="versions = false" @moving="moving" />
    <SaveDialog
      :effect="effect"
      :version="found.version + 1"
      :running="found.status === 'running'"
      @cancel="effect = null"
      @save="(move) => save.mutate({ body: copy(), move })"
    />
    <RunDialog
      :id="key"
      :open="running"
      :name="current.name"
      :running="found.status === 'running'"
      :busy="setStatus.isPending.value"
      @cancel="running = false"
      @run="(take_in) => setStatus.mutate({ status: 'running', take_in })"
    />
    <MissingDialog
      :open="lacking"
      :findings="missing"
      @close="lacking = false"
      @go="(id) => ((lacking = false), (chosen = id || chosen), goInto(chosen))"
    />
  </template>
  <template v-else-if="error"
    ><PageHead title="Sequence" :above="{ to: '/sequences', name: 'Sequences' }" /><EmptyState
      title="This sequence can't be shown"
      >{{ error.message }}</EmptyState
    ></template
  >
</template>

<style scoped>
.name :deep(input) {
  font: 600 21px var(--title);
  padding: 2px 4px;
  max-width: 100%;
}
.counts {
  font-size: 13.5px;
  color: var(--soft);
}
.counts .link {
  text-decoration: none;
  color: var(--soft);
}
.counts .link:hover {
  text-decoration: underline;
}
.save {
  min-width: 158px;
}
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 372px;
  flex: 1;
  min-height: 0;
}
.ruler {
  padding: 16px 22px 60px;
  overflow: auto;
}
.end {
  padding: 14px 0 0 132px;
  display: flex;
  gap: 16px;
  align-items: center;
  flex-wrap: wrap;
}
.desk > .panel {
  background: var(--sheet);
  border-left: 1px solid var(--rule);
  overflow-y: auto;
}
.none {
  padding: 18px;
}
@media (max-width: 900px) {
  .desk {
    display: block;
    overflow: auto;
  }
  .ruler {
    padding: 12px 14px;
    overflow: visible;
  }
  .desk > .panel {
    border-left: 0;
    border-top: 1px solid var(--rule);
  }
  .end {
    padding-left: 0;
  }
}
</style>
