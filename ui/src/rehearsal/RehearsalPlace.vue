<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import type { Sequence } from "../api/school-file";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { draftOf, hasDraft } from "../parts/draft";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import CalendarMonth from "./CalendarMonth.vue";
import EveryPath from "./EveryPath.vue";
import KeptRehearsals from "./KeptRehearsals.vue";
import LookBack from "./LookBack.vue";
import MoveList from "./MoveList.vue";
import { type Edited, firstMoves, type Scene, toMoves } from "./moves";
import SceneStudent from "./SceneStudent.vue";
import WhyPanel from "./WhyPanel.vue";

const props = defineProps<{ id: string }>();
const notice = useNotice();
const { things, courses } = useThings();
const { data: found, error } = useQuery({
  queryKey: ["sequence", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}", { params: { path: { key: props.id } } })),
});

/** The sequence as it is being edited in this browser, else as it is saved. */
const draft = computed<Sequence | null>(() => {
  return draftOf<Sequence>(`sequence:${props.id}`) ?? (found.value?.body as Sequence | undefined) ?? null;
});
const unsaved = computed(() => hasDraft(`sequence:${props.id}`));
const view = ref<"calendar" | "paths" | "back">("calendar");
const moves = ref<Edited[]>([]);
const who = ref<Pick<Scene, "student" | "made_up">>({
  student: null,
  made_up: { first_name: "Robin", last_name: "", timezone: null, news: true, tags: [], fields: {} },
});
const days = ref(35);
const start = ref<string | null>(null);
const chosen = ref(0);

const modules = computed(() => {
  const found = new Map<string, { lessons: string[]; quizzes: string[] }>();
  for (const course of courses.value)
    for (const module of course.modules)
      found.set(module.key, {
        lessons: course.lessons.filter((one) => one.module === module.title).map((one) => one.key),
        quizzes: course.quizzes.filter((one) => one.module === module.title).map((one) => one.key),
      });
  return found;
});
// The first scene fits how the sequence starts; it is made once.
watch(
  [draft, things],
  ([sequence, known]) => {
    if (!sequence || !known || moves.value.length || who.value.student !== null) return;
    const first = sequence.starts[0];
    const inner = first?.lesson ?? first?.quiz ?? first?.module;
    const course =
      (first?.course as string | undefined) ??
      (inner ? String(inner).split("/")[0] : undefined) ??
      known.courses[0]?.key ??
      "";
    const offers = known.offers.filter((offer) =>
      first?.offer ? offer.key === first.offer : offer.key.startsWith(course),
    );
    moves.value = firstMoves(
      first,
      offers,
      known.courses.find((one) => one.key === course),
    );
  },
  { immediate: true },
);

// A real student plays on from where they stand; what somebody made up would do first is not done again.
let madeUp: Edited[] = [];
watch(
  () => who.value.student === null,
  (made) => {
    if (made) moves.value = madeUp;
    else [madeUp, moves.value] = [moves.value, []];
  },
);
const scene = computed<Scene>(() => ({
  ...who.value,
  moves: toMoves(moves.value, modules.value),
  start: start.value,
  days: days.value,
  sequence: draft.value,
  alone: false,
}));
const { data: played, error: refused } = useQuery({
  queryKey: ["rehearsal", scene],
  queryFn: () => data(api.POST("/api/rehearsals", { body: scene.value })),
  enabled: computed(() => draft.value !== null && (moves.value.length > 0 || Boolean(who.value.student))),
  placeholderData: keepPreviousData,
});
// The letter shown first is one of the sequence that is being edited.
watch(played, (now, before) => {
  if (now && (!before || chosen.value >= now.letters.length))
    chosen.value = now.letters.find((one) => one.own)?.index ?? 0;
});
const letter = computed(() => played.value?.letters[chosen.value]);
const others = computed(() => played.value?.letters.filter((one) => one.status !== "sent") ?? []);
const sent = computed(() => played.value?.letters.filter((one) => one.status === "sent").length ?? 0);

const keeping = ref(false);
const name = ref("");
const keep = useAct(
  () =>
    data(
      api.POST("/api/sequences/{key}/rehearsals", {
        params: { path: { key: props.id } },
        body: { name: name.value, scene: scene.value },
      }),
    ),
  {
    done: () => {
      keeping.value = false;
      name.value = "";
      notice.done("Kept. It is played again at every save.");
    },
    refreshes: ["kept"],
  },
);
function show(kept: Api["KeptOut"]): void {
  who.value = { student: kept.scene.student, made_up: kept.scene.made_up };
  days.value = kept.scene.days;
  start.value = kept.scene.start ?? null;
  moves.value = kept.scene.moves.map((move) => {
    const { type, ...rest } = move.event as Record<string, unknown>;
    const object = ["offer", "lesson", "quiz", "course", "form", "tag", "letter"]
      .map((kind) => rest[kind])
      .find(Boolean);
    return {
      day: move.day,
      at: move.at,
      what: String(type),
      object: String(object ?? ""),
      extra: String(rest.percent ?? rest.score ?? rest.answer ?? ""),
    };
  });
  view.value = "calendar";
}
</script>

<template>
  <PageHead title="Rehearsal" :above="{ to: `/sequences/${id}`, name: `Sequences / ${draft?.name ?? ''}` }">
    <template #beside
      ><span class="pill">nothing is posted</span
      ><span v-if="unsaved" class="pill held">with your unsaved changes</span></template
    >
    <Button :type="view === 'paths' ? 'primary' : 'default'" @click="view = view === 'paths' ? 'calendar' : 'paths'"
      >Every path</Button
    >
    <Button :type="view === 'back' ? 'primary' : 'default'" @click="view = view === 'back' ? 'calendar' : 'back'"
      >Last 90 days again</Button
    >
    <Button type="primary" :disabled="!played" @click="keeping = true">Keep as a check</Button>
  </PageHead>
  <EmptyState v-if="error" title="This sequence can't be shown">{{ error.message }}</EmptyState>
  <EveryPath v-else-if="view === 'paths' && draft" :sequence="draft" />
  <LookBack v-else-if="view === 'back' && draft" :sequence="draft" />
  <div v-else class="stage">
    <section class="left" aria-label="The student and their moves">
      <h2>If a student like</h2>
      <SceneStudent v-model="who" />
      <h2>does this</h2>
      <MoveList v-model="moves" />
      <label class="line"
        >for
        <select v-model.number="days" class="native" aria-label="How long">
          <option :value="14">2 weeks</option>
          <option :value="35">5 weeks</option>
          <option :value="90">3 months</option>
          <option :value="180">half a year</option>
        </select></label
      >
      <p v-if="refused" class="refused" role="alert">{{ refused.message }}</p>
      <KeptRehearsals :id="id" @show="show" />
      <div v-if="played" class="sum" data-testid="sum">
        <b>{{ sent }} {{ sent === 1 ? "letter" : "letters" }} in {{ played.days }} days</b>
        <div class="label">
          most on one day: {{ played.most_on_a_day }} · longest silence between letters:
          {{ played.longest_silence }} days · all sequences that are running take part
        </div>
      </div>
    </section>
    <section class="middle" aria-label="Calendar">
      <CalendarMonth v-if="played" v-model="chosen" :played="played" />
    </section>
    <WhyPanel :played="played" :letter="letter" :others="others" :scene="scene" @choose="(index) => (chosen = index)" />
  </div>
  <AskDialog
    v-model:open="keeping"
    title="Keep this rehearsal as a check"
    ok="Keep"
    :ready="Boolean(name.trim())"
    @ok="keep.mutate()"
  >
    <label
      >What does it show? It is played again whenever the sequence is saved, and says so when something else comes
      out.<Input v-model:value="name" placeholder="Who moves on is left alone"
    /></label>
  </AskDialog>
</template>

<style scoped>
.stage {
  display: grid;
  grid-template-columns: 256px minmax(0, 1fr) 292px;
  flex: 1;
  min-height: 0;
}
.left {
  background: var(--sheet2);
  border-right: 1px solid var(--rule);
  padding: 16px 16px 20px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.middle {
  overflow: auto;
  padding: 14px 12px 40px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
}
.native {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 4px 8px;
  background: #fff;
  color: var(--ink);
}
.sum {
  border-top: 1px solid var(--rule);
  padding-top: 10px;
  margin-top: auto;
}
.refused {
  color: var(--red);
  margin: 0;
}
@media (max-width: 1000px) {
  .stage {
    display: block;
    overflow: auto;
  }
}
</style>
