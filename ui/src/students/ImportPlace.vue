<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { sendFile } from "../parts/files";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { useThings } from "../api/things";

/** Students from a file: its columns are named by example, it is tried, looked at, taken in, and can be undone as a whole. */
const client = useQueryClient();
const notice = useNotice();
const file = ref<Api["FileOut"] | null>(null);
const targets = ref<string[]>([]);
const consent = ref("");
const starts = ref(false);
const course = ref("");
const { options: things } = useThings();
const work = ref<Api["WorkOut"] | null>(null);
const doing = ref<"try" | "take" | "undo">("try");
const input = ref<HTMLInputElement>();
const TARGETS = [
  { value: "ignore", label: "leave this column out" },
  { value: "email", label: "address" },
  { value: "first_name", label: "first name" },
  { value: "last_name", label: "last name" },
  { value: "full_name", label: "whole name" },
  { value: "timezone", label: "time zone" },
  { value: "tags", label: "tags" },
  { value: "course", label: "course they are in" },
  { value: "enrolled", label: "day of enrolment" },
  { value: "consent", label: "wants news: yes or no" },
];
const options = (column: string) => [...TARGETS, { value: `field:${column}`, label: `own field “${column}”` }];
const plan = computed(() => ({
  targets: targets.value,
  consent: consent.value,
  course: course.value || null,
  starts: starts.value,
}));
// What was tried is only true of the plan it was tried with.
watch([targets, consent, course], () => doing.value === "try" && (work.value = null), { deep: true });
let timer = 0;
onBeforeUnmount(() => window.clearTimeout(timer));
async function follow(): Promise<void> {
  window.clearTimeout(timer);
  if (!work.value || work.value.state !== "working") {
    if (work.value?.state === "failed") notice.refused(new Error(work.value.refused));
    if (doing.value !== "try") void client.invalidateQueries();
    return;
  }
  timer = window.setTimeout(async () => {
    if (work.value)
      work.value = await data(api.GET("/api/imports/progress/{id}", { params: { path: { id: work.value.id } } }));
    await follow();
  }, 400);
}
async function read(chosen: File | undefined): Promise<void> {
  if (!chosen) return;
  [work.value, doing.value] = [null, "try"];
  try {
    const query = new URLSearchParams({ name: chosen.name });
    file.value = await sendFile<Api["FileOut"]>(`/api/imports/read?${query}`, chosen);
    targets.value = file.value.columns.map((column) => column.guess);
  } catch (error) {
    notice.refused(error);
  } finally {
    if (input.value) input.value.value = "";
  }
}
const begun = (what: "try" | "take" | "undo") => (now: Api["WorkOut"]) => {
  [doing.value, work.value] = [what, now];
  void follow();
};
const id = computed(() => file.value?.id ?? 0);
const tryOut = useAct(
  () => data(api.POST("/api/imports/{id}/try", { params: { path: { id: id.value } }, body: plan.value })),
  { done: begun("try"), refreshes: [] },
);
const take = useAct(
  () => data(api.POST("/api/imports/{id}/take", { params: { path: { id: id.value } }, body: plan.value })),
  { done: begun("take"), refreshes: [] },
);
const undo = useAct(
  (number: number) => data(api.POST("/api/imports/{id}/undo", { params: { path: { id: number } } })),
  { done: begun("undo"), refreshes: [] },
);
const tried = computed(() => (doing.value === "try" ? work.value?.tried : null));
const { data: past } = useQuery({ queryKey: ["imports"], queryFn: () => data(api.GET("/api/imports")) });
async function askUndo(one: Api["ImportOut"]): Promise<void> {
  if (
    await notice.ask(
      "Undo this import?",
      `${one.new} students who came with “${one.file}” go again, ${one.changed} are as they were before. ` +
        "Whoever has had a letter since stays.",
      "Undo it",
      "Keep it",
    )
  )
    undo.mutate(one.id);
}
const dropped = (event: DragEvent) => void read(event.dataTransfer?.files[0]);
</script>

<template>
  <PageHead title="Import students" :above="{ to: '/students', name: 'Students' }"
    ><a href="/import-example.csv" download><Button>An example file</Button></a></PageHead
  >
  <div class="room">
    <section class="sheet drop" @dragover.prevent @drop.prevent="dropped">
      <input
        ref="input"
        type="file"
        accept=".csv,.txt,.tsv,.xlsx"
        aria-label="File of students"
        class="visually-hidden"
        @change="(e) => read((e.target as HTMLInputElement).files?.[0])"
      />
      <Button :type="file ? 'default' : 'primary'" @click="input?.click()">{{
        file ? "Another file" : "Choose a file"
      }}</Button>
      <span v-if="file"
        ><b>{{ file.name }}</b> · {{ file.rows }} rows · <span class="soft">{{ file.how }}</span></span
      >
      <span v-else class="soft"
        >CSV or a spreadsheet (.xlsx). Nothing is taken in before you have seen what it would do.</span
      >
    </section>
    <template v-if="file && doing === 'try'">
      <section>
        <h2>What is in each column?</h2>
        <div class="sheet scroll">
          <table class="plain">
            <thead>
              <tr>
                <th>Column</th>
                <th>For example</th>
                <th>It is</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(column, index) in file.columns" :key="index">
                <td>
                  <b>{{ column.name }}</b>
                </td>
                <td class="soft">{{ column.samples.join(" · ") || "empty" }}</td>
                <td>
                  <Select
                    v-model:value="targets[index]"
                    v-named="`What is in ${column.name}`"
                    :options="options(column.name)"
                    style="width: 240px"
                  />
                </td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
      <section class="sheet box">
        <h2>May you write them news?</h2>
        <p v-if="targets.includes('consent')">
          The column says it for each of them. Who has stopped news stays without, whatever it says.
        </p>
        <template v-else
          ><p class="soft">
            Without an answer here nobody new gets news. If they have all agreed, say where and when; it is kept in each
            one's consent log.
          </p>
          <Input
            v-model:value="consent"
            aria-label="Where their consent comes from"
            placeholder="They ticked the box on my sign-up form, January 2026"
        /></template>
        <label class="into"
          >Put all of them into
          <Select
            v-model:value="course"
            v-named="'Put all of them into'"
            :options="[{ value: '', label: 'no course' }, ...(things.course ?? [])]"
            style="width: 240px"
          /><span v-if="targets.includes('course')" class="soft"> where the column says no other</span></label
        >
        <Checkbox v-model:checked="starts" class="starts"
          >Let running sequences start for them (a welcome goes out at once to those who come into a course)</Checkbox
        >
      </section>
      <div class="acts">
        <Button
          :type="tried ? 'default' : 'primary'"
          :loading="tryOut.isPending.value || work?.state === 'working'"
          @click="tryOut.mutate()"
          >Try it</Button
        ><span v-if="work?.state === 'working'" class="soft">{{ work.done }} of {{ work.total }} rows …</span>
      </div>
      <section v-if="tried" class="result" data-testid="tried">
        <div class="sum">
          <div class="sheet">
            <b class="postmark">{{ tried.new }}</b> new
          </div>
          <div class="sheet">
            <b class="postmark">{{ tried.changed }}</b> changed
          </div>
          <div class="sheet">
            <b class="postmark">{{ tried.same }}</b> known as they are
          </div>
          <div class="sheet" :class="{ bad: tried.refused }">
            <b class="postmark">{{ tried.refused }}</b> refused
          </div>
        </div>
        <p>
          {{ tried.with_news }} of them would get news, {{ tried.enrolled }} come into a course<template
            v-if="tried.enrolled"
            >, and
            {{ starts ? "the sequences that begin there start for them" : "no sequence starts for them" }}</template
          >.
        </p>
        <div v-if="tried.refusals.length" class="sheet scroll list">
          <table class="plain">
            <thead>
              <tr>
                <th>Row</th>
                <th>Address</th>
                <th>Why it is refused</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="row in tried.refusals" :key="row.number">
                <td class="postmark">{{ row.number }}</td>
                <td>{{ row.email }}</td>
                <td>{{ row.said }}</td>
              </tr>
            </tbody>
          </table>
        </div>
        <details v-if="tried.examples.length">
          <summary>The first {{ tried.examples.length }} that come in</summary>
          <ul>
            <li v-for="row in tried.examples" :key="row.number">
              <span class="postmark">{{ row.number }}</span> {{ row.email }} <span class="soft">{{ row.said }}</span>
            </li>
          </ul>
        </details>
        <div class="acts">
          <Button
            type="primary"
            :loading="take.isPending.value"
            :disabled="tried.new + tried.changed === 0"
            @click="take.mutate()"
            >Take in {{ tried.new + tried.changed }}
            {{ tried.new + tried.changed === 1 ? "student" : "students" }}</Button
          >
        </div>
      </section>
    </template>
    <section v-if="doing !== 'try' && work" class="sheet box" role="status">
      <template v-if="work.state === 'working'"
        >{{ doing === "take" ? "Taking in" : "Undoing" }}: {{ work.done }} of {{ work.total }} … You can leave this
        page.
        <div class="bar"><i :style="{ width: (100 * work.done) / Math.max(1, work.total) + '%' }" /></div
      ></template>
      <template v-else-if="work.state === 'done'"
        >{{
          doing === "take"
            ? "Taken in."
            : work.stay
              ? `Undone, but for ${work.stay} who have had a letter or done something since.`
              : "Undone."
        }}
        <RouterLink to="/students">To the students</RouterLink></template
      >
    </section>
    <section v-if="past?.length">
      <h2>Files taken in</h2>
      <div class="sheet scroll">
        <table class="plain">
          <tbody>
            <tr v-for="one in past" :key="one.id">
              <td class="postmark">{{ one.at }}</td>
              <td>
                <b>{{ one.file }}</b>
              </td>
              <td>{{ one.new }} new, {{ one.changed }} changed, {{ one.refused }} refused</td>
              <td>
                <span v-if="one.undone" class="soft">undone {{ one.undone }}</span
                ><Button v-else size="small" @click="askUndo(one)">Undo</Button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
  </div>
</template>

<style scoped>
.into {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 10px;
  flex-wrap: wrap;
}
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 16px;
  max-width: 980px;
}
h2 {
  margin-bottom: 8px;
}
.drop {
  padding: 18px;
  border-style: dashed;
  display: flex;
  gap: 14px;
  align-items: center;
  flex-wrap: wrap;
}
.scroll {
  overflow-x: auto;
}
.box {
  padding: 12px 16px;
}
.box p {
  margin: 0 0 8px;
}
.starts {
  margin-top: 10px;
}
.acts {
  display: flex;
  gap: 12px;
  align-items: center;
}
.result {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.result p {
  margin: 0;
}
.sum {
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
}
.sum .sheet {
  padding: 8px 16px;
}
.sum b {
  font-size: 22px;
}
.sum .bad {
  border-color: #ecd39a;
  background: var(--warn-bg);
  color: var(--warn);
}
.list {
  max-height: 320px;
  overflow-y: auto;
}
details ul {
  list-style: none;
  padding: 6px 0 0;
  margin: 0;
}
details li {
  padding: 2px 0;
  overflow-wrap: anywhere;
}
.bar {
  height: 6px;
  background: var(--rule2);
  border-radius: 3px;
  margin-top: 8px;
}
.bar i {
  display: block;
  height: 100%;
  background: #38699c;
  border-radius: 3px;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
