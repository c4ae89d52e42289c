<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRoute } from "vue-router";

import { api, type Api, begunFrom, data } from "../api/client";
import { useThings } from "../api/things";
import { type Letter, PURPOSES } from "../api/school-file";
import ClashDialog from "../parts/ClashDialog.vue";
import { useDraft } from "../parts/draft";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import { shownAs, suggest } from "../parts/shown-as";
import { useSaving } from "../parts/saving";
import TestDialog from "../parts/TestDialog.vue";
import BlockList from "./BlockList.vue";
import { answerKeys } from "./blocks";
import FieldText from "./FieldText.vue";
import FindingLines from "../parts/FindingLines.vue";
import LetterMore from "./LetterMore.vue";
import LetterTabs from "./LetterTabs.vue";
import { patched } from "./patched";
import TakeOver from "../practice/TakeOver.vue";
import SeenSide from "./SeenSide.vue";
import WhomNext from "./WhomNext.vue";

const props = defineProps<{ id: string }>();
const route = useRoute();
// Who came from a broadcast or a sequence goes back to it.
const above = computed(() => {
  const back = String(route.query.back ?? "");
  if (back.startsWith("/broadcasts/")) return { to: back, name: "Back to the broadcast" };
  return back.startsWith("/sequences/")
    ? { to: back, name: "Back to the sequence" }
    : { to: "/letters", name: "Letters" };
});
const key = computed(() => props.id);
// Typing is undone word by word; whatever else is done, by itself.
const isTyping = (before: string, after: string) =>
  Math.abs(before.length - after.length) < 24 && before.split('"kind"').length === after.split('"kind"').length;
const draft = useDraft<Letter>(() => `letter:${key.value}`, isTyping);
const { current, changed, restored, clash, base, begin, undo, redo, discard, canUndo, canRedo } = draft;
const testing = ref(false);

const { data: found, error } = useQuery({
  queryKey: ["letter", key],
  queryFn: () => data(api.GET("/api/letters/{key}", { params: { path: { key: key.value } } })),
});
watch(
  found,
  (now) => {
    if (now) begin(now.body as Letter, now.edition);
  },
  { immediate: true },
);
const { data: fields } = useQuery({
  queryKey: ["fields", key, shownAs],
  queryFn: () =>
    data(
      api.GET("/api/letters/{key}/fields", { params: { path: { key: key.value }, query: { student: shownAs.value } } }),
    ),
  staleTime: 60_000,
  placeholderData: keepPreviousData,
});
const { courses } = useThings();
const { data: first } = useQuery({
  queryKey: ["students", "first"],
  queryFn: () => data(api.GET("/api/students", { params: { query: { course: courses.value[0]?.key ?? "" } } })),
  staleTime: 600_000,
  enabled: computed(() => courses.value.length > 0),
});
watch(first, (page) => suggest(page?.items), { immediate: true });

// The letter is looked at a moment after the last key, not at every one.
const looked = ref<Letter | null>(null);
let timer = 0;
watch(
  current,
  (now) => {
    clearTimeout(timer);
    timer = window.setTimeout(
      () => (looked.value = now ? (JSON.parse(JSON.stringify(now)) as Letter) : null),
      looked.value ? 250 : 0,
    );
  },
  { deep: true, immediate: true },
);
const { data: preview, error: blankError } = useQuery({
  queryKey: ["preview", looked, shownAs],
  queryFn: () =>
    data(
      api.POST("/api/letters/preview", {
        body: { letter: looked.value ?? {}, student: shownAs.value },
      }),
    ),
  enabled: computed(() => Boolean(looked.value && shownAs.value)),
  placeholderData: keepPreviousData,
});

/** Findings at one place of the letter: its subject, its preheader; those of blocks stand beside them. */
const findings = computed(() => preview.value?.findings ?? []);
const at = (place: string) => findings.value.filter((one) => one.pointer === place);
const elsewhere = computed(() =>
  findings.value.filter(
    (one) => !["/subject", "/preheader"].includes(one.pointer) && !/^\/blocks\/\d/.test(one.pointer),
  ),
);
const mend = (one: Api["FindingOut"]) =>
  one.mend && current.value && (current.value = patched(current.value, one.mend.patch));

const { save, choose, saving } = useSaving<Letter, { edition: string; version: number }>(
  draft,
  (body, begun) =>
    data(api.PUT("/api/letters/{key}", { params: { path: { key: key.value }, header: begunFrom(begun) }, body })),
  async () => {
    const now = await data(api.GET("/api/letters/{key}", { params: { path: { key: key.value } } }));
    return { body: now.body as Letter, edition: now.edition };
  },
  (now) => `Saved as version ${now.version}. From now on this is what goes out.`,
);
// Steps back and forward are the letter's, whichever of its fields the keyboard is in.
function keys(event: KeyboardEvent): void {
  if (!(event.ctrlKey || event.metaKey) || event.altKey || (event.target as HTMLElement).closest(".ant-modal")) return;
  const pressed = event.key.toLowerCase();
  if (pressed === "s") {
    event.preventDefault();
    save();
    return;
  }
  if (pressed !== "z" && pressed !== "y") return;
  event.preventDefault();
  event.stopPropagation();
  if (pressed === "y" || event.shiftKey) redo();
  else undo();
}
onMounted(() => window.addEventListener("keydown", keys, true));
onBeforeUnmount(() => window.removeEventListener("keydown", keys, true));
</script>

<template>
  <template v-if="current && found">
    <PageHead :title="current.name" :above="above">
      <template #title
        ><h1 class="name">
          <Input
            v-model:value="current.name"
            :bordered="false"
            aria-label="Name of the letter"
            :style="{ width: Math.min(44, Math.max(16, current.name.length + 1)) + 'ch' }"
          /></h1
      ></template>
      <template #beside
        ><span class="soft">{{
          found.used_by.length ? `Used by ${found.used_by.join(", ")}` : "Nothing uses it yet"
        }}</span></template
      >
      <LetterMore v-model:letter="current" />
      <TakeOver v-if="id !== 'new'" :id="id" kind="letter" :changed="changed" />
      <Button :disabled="!shownAs" @click="testing = true">Send me a test</Button>
      <Button :disabled="!canUndo" @click="undo">Undo</Button><Button :disabled="!canRedo" @click="redo">Redo</Button>
      <Button type="primary" :disabled="!changed" :loading="saving" @click="save">{{
        changed ? "Save" : `Version ${found.version} saved`
      }}</Button>
    </PageHead>
    <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="choose" />
    <LetterTabs :id="id" at="write" :changed="changed" />
    <WhomNext v-if="changed && found.used_by.length" :id="id" />
    <div v-if="restored && changed" class="note" role="status">
      Unsaved changes from earlier are shown. <button class="link" @click="discard">Show what is saved instead</button>
    </div>
    <div class="desk">
      <section class="write">
        <div class="two">
          <div class="grow">
            <div class="label">Subject</div>
            <FieldText v-model="current.subject" label="Subject" :fields="fields ?? []" /><FindingLines
              :found="at('/subject')"
              @mend="mend"
            />
          </div>
          <div>
            <div class="label">Purpose</div>
            <Select
              v-model:value="current.purpose"
              v-named="'Purpose'"
              :options="Object.entries(PURPOSES).map(([value, label]) => ({ value, label }))"
              style="width: 140px"
            />
          </div>
        </div>
        <div>
          <div class="label">Preheader: the line that inboxes show beside the subject</div>
          <FieldText v-model="current.preheader" label="Preheader" :fields="fields ?? []" /><FindingLines
            :found="at('/preheader')"
            @mend="mend"
          />
        </div>
        <FindingLines :found="elsewhere" @mend="mend" />
        <BlockList
          v-model="current.blocks"
          place="blocks"
          :fields="fields ?? []"
          :findings="findings"
          :hidden="preview?.hidden ?? []"
          :course="null"
          :keys="answerKeys(current.blocks)"
          @mend="mend"
        />
      </section>
      <SeenSide :seen="preview" :error="blankError" />
    </div>
  </template>
  <TestDialog
    v-if="testing && current"
    :address="
      (body) =>
        data(
          api.POST('/api/letters/{key}/test', {
            params: { path: { key } },
            body: { ...body, letter: current ?? {} },
          }),
        ).then((one) => [one])
    "
    @close="testing = false"
  />
  <template v-if="error && !found"
    ><PageHead title="Letter" :above="{ to: '/letters', name: 'Letters' }" /><EmptyState
      title="This letter can't be shown"
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
.note {
  background: var(--warn-bg);
  color: var(--warn);
  padding: 7px 22px;
}
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 440px);
  flex: 1;
  min-height: 0;
}
.write {
  padding: 18px 22px 40px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  overflow-y: auto;
  align-items: stretch;
}
.two {
  display: flex;
  gap: 14px;
  flex-wrap: wrap;
}
.grow {
  flex: 1;
  min-width: 240px;
}
@media (max-width: 900px) {
  .desk {
    display: block;
    overflow: auto;
  }
  .write {
    overflow: visible;
    padding: 14px;
  }
}
</style>
