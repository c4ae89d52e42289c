<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import { rooted } from "../api/base";
import { api, type Api, begunFrom, data } from "../api/client";
import { useAct } from "../parts/act";
import DurationInput from "../parts/DurationInput.vue";
import ClashDialog from "../parts/ClashDialog.vue";
import { useDraft } from "../parts/draft";
import { freeKey } from "../parts/keys";
import { useNotice } from "../parts/notice";
import { type Certificate, FRESH } from "./certificate";
import CertificateDesign from "./CertificateDesign.vue";
import { useSenders } from "./senders";
import PicturePick from "../parts/PicturePick.vue";
import { useAway } from "../parts/away";
import { useSaving } from "../parts/saving";
import { useSaveKey } from "../parts/save-key";

type Item = {
  key: string;
  title: string;
  minutes?: number | null;
  pass_mark?: number;
  url?: string | null;
};
type Module = {
  key: string;
  title: string;
  unlocks?: string | null;
  lessons: Item[];
  quizzes: Item[];
};
type Course = {
  key: string;
  title: string;
  summary: string;
  picture: string | null;
  sender_name: string | null;
  sender_email: string | null;
  url: string | null;
  review_url: string | null;
  access: string | null;
  certificate: Certificate | null;
  modules: Module[];
};
type Offer = {
  key: string;
  title: string;
  summary: string;
  url: string | null;
  picture: string | null;
  price: { amount: string; currency: string } | null;
  courses: string[];
  tags: string[];
};

const props = defineProps<{ id: string }>();
const notice = useNotice();
const throwAway = useAway();
const designing = ref(false);
const { addresses } = useSenders();
const file = ref<HTMLInputElement>();
const draft = useDraft<Course>(() => `course:${props.id}`);
const { current, changed, restored, clash, base, begin, undo, redo, discard, canUndo, canRedo } = draft;
const { data: found } = useQuery({
  queryKey: ["course", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/courses/{key}", { params: { path: { key: props.id } } })),
});
watch(
  found,
  (now) => {
    if (now) begin(now.body as Course, now.edition);
  },
  { immediate: true },
);
const course = computed(() => current.value as Course);
const offers = computed(() => (found.value?.offers ?? []) as unknown as Offer[]);
const typed = (event: Event) => (event.target as HTMLInputElement).value;
const keys = (kind: "lessons" | "quizzes") =>
  course.value.modules.flatMap((module) => module[kind].map((item) => item.key));

function moveModule(at: number, by: number): void {
  const modules = [...course.value.modules];
  const [module] = modules.splice(at, 1);
  if (module) modules.splice(at + by, 0, module);
  course.value.modules = modules;
}
/** Up and down among its neighbours, and over the edge into the module before or behind. */
function moveItem(m: number, kind: "lessons" | "quizzes", at: number, by: number): void {
  const from = course.value.modules[m];
  const item = from?.[kind][at];
  if (!from || !item) return;
  const to = at + by;
  if (to >= 0 && to < from[kind].length) {
    from[kind].splice(at, 1);
    from[kind].splice(to, 0, item);
    return;
  }
  const other = course.value.modules[m + by];
  if (!other) return;
  from[kind].splice(at, 1);
  if (by < 0) other[kind].push(item);
  else other[kind].unshift(item);
}
function addModule(): void {
  const key = freeKey(
    `m${course.value.modules.length + 1}`,
    course.value.modules.map((module) => module.key),
  );
  course.value.modules.push({
    key,
    title: `Module ${course.value.modules.length + 1}`,
    unlocks: null,
    lessons: [],
    quizzes: [],
  });
}
function addItem(module: Module, kind: "lessons" | "quizzes"): void {
  const stem = kind === "lessons" ? "l" : "q";
  const key = freeKey(`${stem}${keys(kind).length + 1}`, keys(kind));
  module[kind].push(
    kind === "lessons"
      ? { key, title: "New lesson", minutes: null, url: null }
      : { key, title: "New quiz", pass_mark: 70, url: null },
  );
}

const { save, choose, saving } = useSaving<Course, Api["CourseOut"]>(
  draft,
  (body, begun) =>
    data(api.PUT("/api/courses/{key}", { params: { path: { key: props.id }, header: begunFrom(begun) }, body })),
  async () => {
    const now = await data(api.GET("/api/courses/{key}", { params: { path: { key: props.id } } }));
    return { body: now.body as Course, edition: now.edition };
  },
  () => "Saved. The course line shows it.",
);
useSaveKey(save);
const read = useAct(
  (text: string) =>
    data(api.POST("/api/courses/{key}/outline", { params: { path: { key: props.id } }, body: { text } })),
  {
    done: (now) => {
      current.value = now.body as Course;
      notice.done("Read. Look it over, then save.");
    },
    refreshes: [],
  },
);
async function take(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0];
  if (chosen) read.mutate(await chosen.text());
  if (file.value) file.value.value = "";
}
const saveOffer = useAct(
  (body: Offer) =>
    data(
      api.PUT("/api/courses/{key}/offer", {
        params: { path: { key: props.id } },
        body: { body: body },
      }),
    ),
  { done: () => notice.done("The offer is saved.") },
);
function addOffer(): void {
  saveOffer.mutate({
    key: freeKey(
      `${props.id}-once`,
      offers.value.map((one) => one.key),
    ),
    title: course.value.title,
    summary: "",
    url: null,
    picture: null,
    price: null,
    courses: [props.id],
    tags: [],
  });
}
function setTitle(one: Offer, title: string): void {
  if (title.trim() && title !== one.title) saveOffer.mutate({ ...one, title: title.trim() });
}
function setOffer(one: Offer, part: Partial<Offer>): void {
  const now = { ...one, ...part };
  if (JSON.stringify(now) !== JSON.stringify(one)) saveOffer.mutate(now);
}
function setPrice(one: Offer, text: string): void {
  const found = /^\s*([A-Za-z]{3})?\s*(\d+(?:[.,]\d{1,2})?)\s*([A-Za-z]{3})?\s*$/.exec(text);
  if (text.trim() && !found) notice.refused(new Error("Write a price like EUR 149.00."));
  else
    saveOffer.mutate({
      ...one,
      price: found
        ? { amount: (found[2] ?? "0").replace(",", "."), currency: (found[1] ?? found[3] ?? "EUR").toUpperCase() }
        : null,
    });
}
</script>

<template>
  <div v-if="current" class="room">
    <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="choose" />
    <div class="bar">
      <Button :disabled="!canUndo" @click="undo">Undo</Button><Button :disabled="!canRedo" @click="redo">Redo</Button>
      <a :href="rooted(`/api/courses/${id}/outline.csv`)" download><Button>Outline as CSV</Button></a>
      <Button :loading="read.isPending.value" @click="file?.click()">Read outline from CSV</Button
      ><input
        ref="file"
        type="file"
        accept=".csv,text/csv"
        class="visually-hidden"
        aria-label="Outline as CSV"
        @change="take"
      />
      <span class="grow" /><Button
        danger
        type="text"
        @click="
          throwAway(course.title, () => api.DELETE('/api/courses/{key}', { params: { path: { key: id } } }), '/courses')
        "
        >Throw this course away</Button
      ><Button v-needs="'run'" type="primary" :disabled="!changed" :loading="saving" @click="save">{{
        changed ? "Save the course" : "Saved"
      }}</Button>
    </div>
    <div v-if="restored && changed" class="note" role="status">
      Unsaved changes from earlier are shown. <button class="link" @click="discard">Show what is saved instead</button>
    </div>
    <section class="sheet box two">
      <label>Title<Input v-model:value="course.title" /></label>
      <label
        >Where it is learnt<Input
          :value="course.url ?? ''"
          placeholder="https://…"
          @change="(e: Event) => (course.url = typed(e) || null)"
      /></label>
      <label>In one sentence<Input v-model:value="course.summary" /></label>
      <label
        >Where feedback is written<Input
          :value="course.review_url ?? ''"
          placeholder="https://…"
          @change="(e: Event) => (course.review_url = typed(e) || null)"
      /></label>
      <label
        >Access lasts
        <span class="inline"><DurationInput v-model="course.access" label="Access lasts" /> (0: no end)</span></label
      >
      <label
        >Letters about it are signed by<Input
          :value="course.sender_name ?? ''"
          placeholder="the school's sender"
          @change="(e: Event) => (course.sender_name = typed(e) || null)"
      /></label>
      <label v-if="addresses.length > 1"
        >and come from<Select
          v-named="'Letters come from'"
          :value="course.sender_email ?? ''"
          :options="addresses"
          @change="(value) => (course.sender_email = String(value) || null)"
      /></label>
      <div>
        <span class="label">Picture, for course cards in letters</span
        ><PicturePick v-model="course.picture" label="course" small />
      </div>
      <div class="inline">
        <Checkbox
          :checked="course.certificate !== null"
          @change="(e) => (course.certificate = e.target.checked ? { ...FRESH } : null)"
          >Certificate</Checkbox
        ><Checkbox v-if="course.certificate" v-model:checked="course.certificate.approval">after your approval</Checkbox
        ><button v-if="course.certificate" class="link" :aria-expanded="designing" @click="designing = !designing">
          {{ designing ? "Done with its look" : "How it looks" }}
        </button>
      </div>
      <CertificateDesign v-if="course.certificate && designing" v-model="course.certificate" :course="course" />
    </section>
    <section v-for="(module, m) in course.modules" :key="module.key" class="sheet box">
      <header class="inline">
        <b class="postmark">{{ m + 1 }}</b><Input
          v-model:value="module.title"
          :aria-label="`Title of module ${m + 1}`"
          class="title"
        />
        <label class="inline label"
          >opens after <DurationInput v-model="module.unlocks" :label="`Module ${m + 1} opens after`"
        /></label>
        <Button
          size="small"
          type="text"
          :disabled="!m"
          :aria-label="`Move module ${m + 1} up`"
          @click="moveModule(m, -1)"
          >↑</Button
        ><Button
          size="small"
          type="text"
          :disabled="m === course.modules.length - 1"
          :aria-label="`Move module ${m + 1} down`"
          @click="moveModule(m, 1)"
          >↓</Button
        >
        <Button size="small" type="text" @click="course.modules.splice(m, 1)">Remove</Button>
      </header>
      <div v-for="(lesson, at) in module.lessons" :key="lesson.key" class="item">
        <Input v-model:value="lesson.title" :aria-label="`Lesson ${lesson.key}`" /><span class="inline label"
          ><InputNumber
            :value="lesson.minutes ?? undefined"
            :min="0"
            :aria-label="`Minutes of ${lesson.title}`"
            class="num"
            @change="(n) => (lesson.minutes = n === null || n === '' ? null : Number(n))"
          />
          min</span
        >
        <Button size="small" type="text" :aria-label="`Move ${lesson.title} up`" @click="moveItem(m, 'lessons', at, -1)"
          >↑</Button
        ><Button
          size="small"
          type="text"
          :aria-label="`Move ${lesson.title} down`"
          @click="moveItem(m, 'lessons', at, 1)"
          >↓</Button
        ><Button size="small" type="text" @click="module.lessons.splice(at, 1)">Remove</Button>
      </div>
      <div v-for="(quiz, at) in module.quizzes" :key="quiz.key" class="item">
        <span class="inline"
          ><span class="pill">Quiz</span><Input v-model:value="quiz.title" :aria-label="`Quiz ${quiz.key}`" /></span
        ><span class="inline label"
          >pass
          <InputNumber
            v-model:value="quiz.pass_mark"
            :min="0"
            :max="100"
            :aria-label="`Pass mark of ${quiz.title}`"
            class="num"
          />
          %</span
        >
        <Button size="small" type="text" :aria-label="`Move ${quiz.title} up`" @click="moveItem(m, 'quizzes', at, -1)"
          >↑</Button
        ><Button size="small" type="text" :aria-label="`Move ${quiz.title} down`" @click="moveItem(m, 'quizzes', at, 1)"
          >↓</Button
        ><Button size="small" type="text" @click="module.quizzes.splice(at, 1)">Remove</Button>
      </div>
      <div class="inline">
        <Button size="small" @click="addItem(module, 'lessons')">Add a lesson</Button
        ><Button size="small" @click="addItem(module, 'quizzes')">Add a quiz</Button>
      </div>
    </section>
    <Button class="add" @click="addModule">Add a module</Button>
    <section class="sheet box">
      <h2>Offers that give this course</h2>
      <div v-for="one in offers" :key="one.key" class="item">
        <Input
          :value="one.title"
          :aria-label="`Title of offer ${one.key}`"
          @blur="(e: Event) => setTitle(one, typed(e))"
        /><Input
          :value="one.price ? `${one.price.currency} ${one.price.amount}` : ''"
          placeholder="free"
          :aria-label="`Price of ${one.title}`"
          class="price"
          @blur="(e: Event) => setPrice(one, typed(e))"
        /><span class="label postmark">{{ one.key }}</span>
        <Button
          size="small"
          type="text"
          danger
          @click="
            throwAway(one.title, () => api.DELETE('/api/offers/{key}', { params: { path: { key: one.key } } }), '')
          "
          >Throw away</Button
        >
        <div class="offer">
          <Input
            :value="one.url ?? ''"
            placeholder="where it can be bought: a web address"
            :aria-label="`Where ${one.title} can be bought`"
            @blur="(e: Event) => setOffer(one, { url: typed(e).trim() || null })"
          /><Input
            :value="one.summary"
            placeholder="in one sentence; without it, the course's"
            :aria-label="`${one.title} in one sentence`"
            @blur="(e: Event) => setOffer(one, { summary: typed(e) })"
          />
        </div>
      </div>
      <div><Button size="small" @click="addOffer">Add an offer</Button></div>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 16px 22px 40px;
  overflow: auto;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.bar,
.inline {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.grow {
  flex: 1;
}
.box {
  padding: 12px 16px;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
  gap: 10px 18px;
}
label:not(.ant-checkbox-wrapper) {
  display: flex;
  flex-direction: column;
  gap: 3px;
  color: var(--soft);
}
label.inline {
  flex-direction: row;
}
.title {
  font: 600 15px var(--title);
  width: 300px;
  max-width: 100%;
}
.item {
  display: grid;
  grid-template-columns: minmax(160px, 1fr) auto auto auto auto;
  gap: 8px;
  align-items: center;
  padding-left: 20px;
}
.num {
  width: 68px;
}
.offer {
  grid-column: 1 / -1;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.price {
  width: 130px;
}
.add {
  align-self: flex-start;
}
.note {
  background: var(--warn-bg);
  color: var(--warn);
  padding: 7px 14px;
  border-radius: 6px;
}
@media (max-width: 720px) {
  .room {
    padding: 12px;
  }
  .item {
    grid-template-columns: minmax(0, 1fr) auto;
    padding-left: 0;
  }
}
</style>
