<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { useFrame } from "../frame/frame";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import StudentPick from "../parts/StudentPick.vue";
import NewStudent from "../students/NewStudent.vue";
import PracticeCertificate from "./PracticeCertificate.vue";
import StudentInbox from "./StudentInbox.vue";

const route = useRoute();
const router = useRouter();
const client = useQueryClient();
const notice = useNotice();
const student = computed({
  get: () => String(route.query.as ?? ""),
  set: (as) => void router.replace({ query: { as } }),
});
const open = ref<string | null>(null);
const scores = ref<Record<string, number>>({});
const making = ref(false);
/** Somebody who is no student yet: whoever has just signed up has a letter to confirm. */
const address = ref("");
const fresh = { email: "", first_name: "", last_name: "", timezone: "", news: true };
const form = ref({ ...fresh });

const { data: room } = useQuery({
  queryKey: ["classroom", student],
  queryFn: () => data(api.GET("/api/practice/classroom/{student}", { params: { path: { student: student.value } } })),
  enabled: computed(() => student.value !== ""),
});
const { data: who } = useQuery({
  queryKey: ["student", student],
  queryFn: () => data(api.GET("/api/students/{key}", { params: { path: { key: student.value } } })),
  enabled: computed(() => student.value !== ""),
});
const { data: certificates } = useQuery({
  queryKey: ["practice-certificates", student],
  queryFn: () =>
    data(api.GET("/api/practice/certificates/{student}", { params: { path: { student: student.value } } })),
  enabled: computed(() => student.value !== ""),
});
const { data: frame } = useFrame();
const { things } = useThings();
const first = computed(() => things.value?.offers[0]?.title);
const mine = computed(() => room.value?.courses.filter((course) => course.status) ?? []);
const shop = computed(() => room.value?.offers.filter((offer) => !offer.bought) ?? []);
const free = computed(
  () =>
    room.value?.courses.filter(
      (course) =>
        !course.status && !room.value?.offers.some((o) => o.courses.length === 1 && o.courses[0] === course.title),
    ) ?? [],
);
watch(mine, (now) => {
  if (!now.some((course) => course.key === open.value)) open.value = now[0]?.key ?? null;
});

const act = useMutation({
  mutationFn: (what: Omit<Api["Action"], "student">) =>
    data(api.POST("/api/practice/do", { body: { student: student.value, ...what } })),
  onSuccess: (receipt) => {
    if (!receipt.taken) notice.done("That was known already.");
    void client.invalidateQueries();
    // The letter is posted a moment after the event is in.
    for (const wait of [300, 900])
      window.setTimeout(() => void client.invalidateQueries({ queryKey: ["inbox"] }), wait);
  },
  onError: (error) => notice.refused(error),
});
/** In a practice school an address costs nothing to invent; example.org reaches nobody (RFC 2606). */
const invented = () =>
  `${
    (form.value.first_name || "student")
      .normalize("NFKD")
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "") || "student"
  }.${Date.now().toString(36).slice(-5)}@example.org`;
const make = useAct(
  () =>
    data(
      api.POST("/api/students", {
        body: { ...form.value, email: form.value.email.trim() || invented(), timezone: form.value.timezone || null },
      }),
    ),
  {
    done: ({ key }) => {
      making.value = false;
      form.value = { ...fresh };
      student.value = key;
    },
  },
);
</script>

<template>
  <PageHead title="Practice classroom">
    <template #beside><span class="soft wide-only">Be a student, and see what the post does.</span></template>
    <template v-if="frame?.clock.practice"
      ><StudentPick v-model="student" label="Be this student" style="width: 240px" /><Button @click="making = true"
        >Make a student</Button
      ></template
    >
  </PageHead>
  <div v-if="student && room" class="desk">
    <section class="class">
      <p v-if="who" class="soft">
        You are
        <b
          ><bdi>{{ who.name }}</bdi></b
        >. Where you live it is <span class="postmark">{{ who.local_time }}</span> ({{
          who.zone.split("/").at(-1)?.replaceAll("_", " ")
        }}).
      </p>
      <div v-if="shop.length || free.length" class="shop">
        <article v-for="offer in shop" :key="offer.key" class="sheet offer">
          <b>{{ offer.title }}</b><span class="postmark">{{ offer.price }}</span>
          <Button type="primary" :loading="act.isPending.value" @click="act.mutate({ do: 'buy', object: offer.key })"
            >Buy</Button
          >
        </article>
        <article v-for="course in free" :key="course.key" class="sheet offer">
          <b>{{ course.title }}</b><span class="postmark">free</span>
          <Button :loading="act.isPending.value" @click="act.mutate({ do: 'enrol', object: course.key })">Join</Button>
        </article>
      </div>
      <article v-for="course in mine" :key="course.key" class="sheet course">
        <button
          class="head"
          :aria-expanded="open === course.key"
          @click="open = open === course.key ? null : course.key"
        >
          <h2>{{ course.title }}</h2>
          <span class="label">{{ course.progress }}% · {{ course.status }}</span>
        </button>
        <div v-if="open === course.key" class="outline">
          <Button
            v-if="course.progress < 100"
            size="small"
            :loading="act.isPending.value"
            @click="act.mutate({ do: 'finish', object: course.key })"
            >Finish all of it at once</Button
          >
          <div v-for="module in course.modules" :key="module.key">
            <h3>{{ module.title }} <span v-if="module.done" class="well">✓ finished</span></h3>
            <div v-for="lesson in module.lessons" :key="lesson.key" class="stop" :class="{ done: lesson.done }">
              <span
                >{{ lesson.title }} <span class="label">{{ lesson.minutes }} min</span></span
              >
              <span v-if="lesson.done" class="well">✓ finished</span>
              <span v-else class="acts"
                ><Button size="small" type="text" @click="act.mutate({ do: 'start', object: lesson.key })">Open</Button
                ><Button size="small" @click="act.mutate({ do: 'complete', object: lesson.key })">Finish</Button></span
              >
            </div>
            <div v-for="quiz in module.quizzes" :key="quiz.key" class="stop quiz">
              <span
                >Quiz: {{ quiz.title }}
                <span class="label"
                  >pass at {{ quiz.pass_mark }}%{{ quiz.score !== null ? ` · last time ${quiz.score}%` : "" }}</span
                ></span
              >
              <span v-if="quiz.passed" class="well">✓ passed</span>
              <span v-else class="acts"
                ><InputNumber
                  :value="scores[quiz.key] ?? 80"
                  :min="0"
                  :max="100"
                  size="small"
                  :aria-label="`Score in ${quiz.title}`"
                  @change="(n) => (scores[quiz.key] = Number(n ?? 0))"
                /><Button
                  size="small"
                  @click="act.mutate({ do: 'take_quiz', object: quiz.key, score: scores[quiz.key] ?? 80 })"
                  >Hand in</Button
                ></span
              >
            </div>
          </div>
          <template v-for="one in certificates" :key="one.course"
            ><PracticeCertificate v-if="one.course === course.key" :one="one" :student="student"
          /></template>
        </div>
      </article>
      <p v-for="offer in room.offers.filter((o) => o.bought)" :key="offer.key" class="refund">
        You bought {{ offer.title }}.
        <button class="link" @click="act.mutate({ do: 'refund', object: offer.key })">Ask for the money back</button>
      </p>
    </section>
    <StudentInbox :student="student" class="inbox" />
  </div>
  <EmptyState v-else-if="frame && !frame.clock.practice" title="This is a real school">
    Here one plays a student in a practice school, to see what the post does without writing to anybody. Start one
    beside this school with “patient-courier demo”, or make one of your own with “patient-courier new --practice”; to
    try a sequence of this school, use Rehearse on its page.
  </EmptyState>
  <EmptyState v-else-if="!student" title="Who do you want to be?">
    Choose a student above, or make one up. Then {{ first ? `buy ${first}` : "join a course" }} and watch the inbox.
    <p><Button type="primary" size="large" @click="making = true">Make a student</Button></p>
    <p>
      <Input
        v-model:value="address"
        aria-label="The inbox of any address"
        placeholder="or look into the inbox of any address"
        class="address"
      />
    </p>
  </EmptyState>
  <div v-if="frame?.clock.practice && !student && address.includes('@')" class="elsewhere">
    <StudentInbox :student="address.trim()" />
  </div>
  <AskDialog v-model:open="making" title="Make a student" ok="Make" :busy="make.isPending.value" @ok="make.mutate()"
    ><NewStudent v-model="form" invented
  /></AskDialog>
</template>

<style scoped>
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 480px);
  flex: 1;
  min-height: 0;
}
.class {
  padding: 16px 22px 40px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.class p {
  margin: 0;
}
.shop {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
  gap: 10px;
}
.offer {
  padding: 10px 14px;
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px;
  align-items: center;
}
.offer b {
  grid-column: 1 / -1;
  font-family: var(--title);
}
.course .head {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  align-items: baseline;
  width: 100%;
  text-align: left;
  background: none;
  border: 0;
  padding: 12px 14px;
  cursor: pointer;
  color: var(--ink);
}
.course .label {
  white-space: nowrap;
}
.outline {
  padding: 0 14px 12px;
}
.outline h3 {
  margin: 10px 0 3px;
}
.well {
  color: var(--well);
  font: 13px var(--text);
  white-space: nowrap;
}
.stop {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  align-items: center;
  padding: 4px 0 4px 12px;
  border-left: 2px solid var(--rule);
}
.stop.done {
  border-color: var(--well);
}
.quiz {
  border-left-style: dashed;
}
.acts {
  display: flex;
  gap: 6px;
  flex: none;
}
.refund {
  color: var(--soft);
  font-size: 13px;
}
.address {
  max-width: 320px;
}
.elsewhere {
  max-width: 760px;
  margin: 0 auto;
  padding: 0 22px 32px;
}
.inbox {
  border-left: 1px solid var(--rule);
}
@media (max-width: 900px) {
  .desk {
    display: block;
    overflow: auto;
  }
  .inbox {
    border-left: 0;
    border-top: 1px solid var(--rule);
  }
  .class {
    overflow: visible;
    padding: 14px;
  }
}
</style>
