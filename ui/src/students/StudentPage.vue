<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Segmented from "ant-design-vue/es/segmented";
import { computed, ref } from "vue";

import KeptFile from "../parts/KeptFile.vue";
import { rooted } from "../api/base";
import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import SendAgain from "../log/SendAgain.vue";
import ConsentBox from "./ConsentBox.vue";
import EditStudent from "./EditStudent.vue";
import EraseStudent from "./EraseStudent.vue";
import HandWork from "./HandWork.vue";
import PretendHappened from "./PretendHappened.vue";

const props = defineProps<{ id: string }>();
const notice = useNotice();
const key = computed(() => props.id);
const { data: student, error } = useQuery({
  queryKey: ["student", key],
  queryFn: () => data(api.GET("/api/students/{key}", { params: { path: { key: key.value } } })),
});
const { data: frame } = useQuery({ queryKey: ["frame"], queryFn: () => data(api.GET("/api/frame")) });

const only = ref<string | number>("All");
const shows = (kind: string) =>
  only.value === "All" ||
  (only.value === "What they did"
    ? kind === "did"
    : only.value === "What we sent"
      ? ["sent", "going", "told"].includes(kind)
      : kind === "not_sent" || kind === "held");
const editing = ref(false);
const erasing = ref(false);
/** The timeline in days, newest first. */
const days = computed(() => {
  const found: { day: string; items: NonNullable<typeof student.value>["timeline"] }[] = [];
  for (const item of (student.value?.timeline ?? []).filter((one) => shows(one.kind))) {
    if (found.at(-1)?.day !== item.day) found.push({ day: item.day, items: [] });
    found.at(-1)?.items.push(item);
  }
  return found;
});
const KINDS: Record<string, string> = {
  sent: "Sent",
  going: "On its way",
  held: "Kept back",
  not_sent: "Not sent",
  told: "Not to the student",
};
const works = useAct(
  () => data(api.POST("/api/students/{key}/address-works", { params: { path: { key: key.value } } })),
  { done: () => notice.done("Letters go there again.") },
);
const OUTCOME: Record<string, string> = {
  finished: "finished",
  left: "left early",
  stopped: "stopped",
  stuck: "stuck",
};
</script>

<template>
  <template v-if="student">
    <PageHead :title="student.name" :above="{ to: '/students', name: 'Students' }">
      <template #beside
        ><span class="soft">{{ student.email }}</span></template
      >
      <Button v-needs="'care'" @click="editing = true">Edit</Button>
      <RouterLink v-if="frame?.clock.practice" :to="{ path: '/practice', query: { as: student.key } }"
        ><Button>Be this student</Button></RouterLink
      >
    </PageHead>
    <div class="room">
      <section class="sheet time">
        <Segmented
          v-if="student.timeline.length"
          v-model:value="only"
          :options="['All', 'What they did', 'What we sent', 'What we did not send']"
          size="small"
          class="only"
        />
        <p v-if="student.timeline.length && !days.length" class="soft">Nothing of that kind.</p>
        <EmptyState v-if="!student.timeline.length" title="Nothing has happened yet"
          >Here you will see what this student does, and what the post does about it.</EmptyState
        >
        <div v-for="(day, index) in days" :key="index" class="day">
          <h3 class="postmark">
            {{ day.day
            }}<span v-if="!index" class="label theirs"
              >{{ student.own_zone ? "times are theirs" : "times are the school's"
              }}{{ student.zone ? ` · ${student.zone.split("/").at(-1)?.replaceAll("_", " ")}` : "" }}</span
            >
          </h3>
          <ol>
            <li v-for="(item, at) in day.items" :key="at" :class="item.kind">
              <span class="postmark clock">{{ item.clock }}</span>
              <div v-if="item.kind === 'did'">{{ item.text }}</div>
              <div v-else class="letter">
                <span class="airmail" />
                <RouterLink :to="`/dispatch/${item.delivery}`">{{ item.text }}</RouterLink>
                <div class="label">
                  {{ KINDS[item.kind] }} · {{ item.detail }}
                  <SendAgain
                    v-if="item.delivery && ['sent', 'told', 'not_sent'].includes(item.kind)"
                    :id="item.delivery"
                    :status="item.kind"
                    small
                  />
                </div>
              </div>
            </li>
          </ol>
        </div>
      </section>
      <aside>
        <section class="sheet box">
          <h2>Courses</h2>
          <p v-if="!student.courses.length" class="soft">In no course yet.</p>
          <div v-for="course in student.courses" :key="course.course" class="course">
            <b>{{ course.title }}</b>
            <div class="bar"><i :style="{ width: course.progress + '%' }" /></div>
            <span class="label">{{ course.progress }}% · {{ course.status }}</span
            >{{ " "
            }}<HandWork
              v-if="['active', 'completed', 'preview'].includes(course.status)"
              :id="id"
              act="leave"
              :name="course.course"
              :title="course.title"
            />
          </div>
          <HandWork :id="id" act="enrol" />
        </section>
        <section v-if="student.certificates.length" class="sheet box">
          <h2>Certificates</h2>
          <p v-for="one in student.certificates" :key="one.code">
            <a :href="rooted(`/certificate/${one.code}`)" target="_blank" rel="noopener" class="postmark">{{
              one.code
            }}</a>
            {{ one.course }}<br /><span class="label">{{
              one.revoked ? "taken back" : `printed for ${one.name || "a student of the school"}`
            }}</span>
          </p>
          <RouterLink :to="{ path: '/certificates', query: { q: student.email } }">Change or take back</RouterLink>
        </section>
        <section v-if="student.words.length" class="sheet box">
          <h2>What they said</h2>
          <p v-for="one in student.words" :key="one.letter + one.at">
            <b v-if="one.value" class="postmark">{{ one.value }} of 5</b>{{ " "
            }}<template v-if="one.words">“{{ one.words }}”</template><br /><span class="label"
              >{{ one.course ? `${one.course} · ` : ""
              }}<RouterLink :to="`/letters/${one.letter}`">{{ one.letter_name }}</RouterLink> · {{ one.at }}</span
            >
          </p>
        </section>
        <section v-if="student.replies.length" class="sheet box">
          <h2>What they wrote back</h2>
          <p v-for="(one, at) in student.replies" :key="at">
            {{ one.subject || "without a subject" }}<br /><span class="label"
              >{{ one.at
              }}<template v-if="one.delivery">
                · to <RouterLink :to="`/dispatch/${one.delivery}`">{{ one.letter_name }}</RouterLink></template
              ></span
            >
          </p>
          <p class="soft">The answers themselves lie in your mailbox.</p>
        </section>
        <section class="sheet box">
          <h2>Sequences</h2>
          <p v-if="!student.runs.length" class="soft">In none.</p>
          <div v-for="(run, index) in student.runs" :key="index" class="run">
            <RouterLink :to="`/sequences/${run.sequence}`">{{ run.name }}</RouterLink>
            <div class="label">
              {{
                run.outcome === "open"
                  ? run.until
                    ? `inside, goes on ${run.until}`
                    : "inside"
                  : (run.words ?? OUTCOME[run.outcome])
              }}
              · since {{ run.started }}
              <HandWork v-if="run.outcome === 'open'" :id="id" act="stop" :name="run.sequence" :title="run.name" />
            </div>
          </div>
          <HandWork :id="id" act="start" />
        </section>
        <section class="sheet box">
          <h2>Try it out</h2>
          <p class="soft">As if their course site or a shop had reported it; you see first what that would post.</p>
          <PretendHappened :id="id" />
        </section>
        <section class="sheet box">
          <h2>Post</h2>
          <p>
            Their time: {{ student.local_time }}<br /><span class="label">{{
              student.own_zone ? student.zone : `${student.zone}, the school's, as theirs is not known`
            }}</span>
          </p>
          <p v-if="!student.address_works">
            <b class="bad">Their address does not work</b><br /><span class="label"
              >{{ student.returns[0]?.words ?? "A letter came back" }}, so nothing is posted there.</span
            >{{ " "
            }}<Button size="small" :loading="works.isPending.value" @click="works.mutate()">It works again</Button>
          </p>
          <p v-if="student.complained">
            <b class="bad">They reported a letter as unwanted</b><br /><span class="label"
              >Nothing is posted to them any more.</span
            >
          </p>
          <details v-if="student.returns.length">
            <summary>
              {{ student.returns.length }} {{ student.returns.length === 1 ? "letter" : "letters" }} came back
            </summary>
            <p v-for="one in student.returns" :key="one.at + one.kind">
              <RouterLink :to="`/dispatch/${one.delivery}`" class="postmark">{{ one.at }}</RouterLink> {{ one.words }}
            </p>
          </details>
          <div class="tags">
            <span v-for="tag in student.tags" :key="tag" class="luggage"
              >{{ tag }} <HandWork :id="id" act="untag" :name="tag" :title="tag" /></span
            ><HandWork :id="id" act="tag" />
          </div>
          <p v-for="(value, name) in student.fields" :key="name">
            <span class="label">{{ name }}</span> {{ value }}
          </p>
        </section>
        <ConsentBox :student="student" />
        <section class="sheet box">
          <h2>Their data</h2>
          <p>
            <KeptFile :href="rooted(`/api/students/${encodeURIComponent(student.key)}/everything`)"
              >Everything about them, as JSON</KeptFile
            >
          </p>
          <p><button class="link erase" @click="erasing = true">Erase this student …</button></p>
        </section>
      </aside>
    </div>
    <EditStudent v-model:open="editing" :student="student" />
    <EraseStudent v-model:open="erasing" :student="student" />
  </template>
  <template v-else-if="error"
    ><PageHead title="Student" :above="{ to: '/students', name: 'Students' }" /><EmptyState
      title="This student can't be shown"
      >{{ error.message }}</EmptyState
    ></template
  >
</template>

<style scoped>
.theirs {
  font: 400 12.5px var(--text);
  margin-left: 10px;
}
.room {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 18px;
  padding: 18px 22px 32px;
  align-items: start;
}
.time {
  padding: 6px 18px 14px;
}
.day {
  padding-top: 12px;
}
.day h3 {
  font: 700 14px var(--mark);
  border-bottom: 1px solid var(--rule2);
  padding-bottom: 4px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 52px minmax(0, 1fr);
  gap: 8px;
  padding: 5px 0;
  overflow-wrap: anywhere;
}
.clock {
  color: var(--soft);
  padding-top: 1px;
}
.letter {
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 0 12px 6px;
  overflow: hidden;
  max-width: 520px;
}
.letter .airmail {
  display: block;
  margin: 0 -12px 5px;
}
.letter a {
  font: 600 14.5px var(--title);
  color: var(--ink);
  text-decoration: none;
}
.not_sent .letter,
.held .letter,
.going .letter {
  border-style: dashed;
  background: var(--sheet2);
}
.not_sent .airmail,
.held .airmail {
  visibility: hidden;
}
.not_sent .letter a {
  text-decoration: line-through;
  color: var(--soft);
}
aside {
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.box {
  padding: 12px 14px;
}
.box h2 {
  margin-bottom: 6px;
}
.box p {
  margin: 0 0 6px;
}
.course,
.run {
  padding: 4px 0;
}
.bar {
  height: 5px;
  background: var(--rule2);
  border-radius: 3px;
  margin: 3px 0;
}
.bar i {
  display: block;
  height: 100%;
  background: #38699c;
  border-radius: 3px;
}
.tags {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.bad,
.erase {
  color: var(--red);
}
.only {
  margin: 10px 0 0;
  max-width: 100%;
  overflow-x: auto;
}
@media (max-width: 900px) {
  .room {
    grid-template-columns: minmax(0, 1fr);
    padding: 14px;
  }
  aside {
    order: -1;
  }
}
</style>
