<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";

type Approval = Api["ApprovalOut"];
/** Certificates that wait for the owner, each with what speaks for it: approved one or many, or put aside with a letter. */
const router = useRouter();
const notice = useNotice();
const { data: waiting } = useQuery({ queryKey: ["approvals"], queryFn: () => data(api.GET("/api/approvals")) });
const id = (one: Approval) => `${one.student}|${one.course}`;
// A few at first: what else needs the owner stands below.
const FEW = 3;
const all = ref(false);
const shown = computed(() => (all.value ? (waiting.value ?? []) : (waiting.value ?? []).slice(0, FEW)));
const ticked = ref<string[]>([]);
const chosen = computed(() => (waiting.value ?? []).filter((one) => ticked.value.includes(id(one))));
const tick = (one: Approval, on: boolean) =>
  (ticked.value = on ? [...ticked.value, id(one)] : ticked.value.filter((other) => other !== id(one)));
const approve = useAct(
  (items: Approval[]) =>
    data(
      api.POST("/api/approvals/approve", {
        body: { items: items.map(({ student, course }) => ({ student, course })) },
      }),
    ),
  {
    done: ({ issued, told }) => {
      ticked.value = [];
      const letters =
        told === 0
          ? "no letter goes out about it"
          : told === issued
            ? "a letter about it goes out"
            : `a letter about it goes to ${told}`;
      notice.done(`${issued} ${issued === 1 ? "certificate is" : "certificates are"} issued; ${letters}.`);
    },
  },
);
const decline = useAct(
  ({ student, course }: Approval) => data(api.POST("/api/approvals/decline", { body: { student, course } })),
  { done: () => notice.done("Put aside. It comes forward again when they ask again.") },
);
/** The letter that comes with the certificate, drafted with what follows it. */
const ending = useAct(
  (key: string) => data(api.POST("/api/courses/{key}/ending", { params: { path: { key } }, body: { next: "" } })),
  {
    done: ({ key }) => {
      notice.done(
        "Drafted, with its letters. Run it before you approve, and the letter goes out with the certificate.",
      );
      void router.push(`/sequences/${key}`);
    },
  },
);
/** A letter to this one student, begun as a broadcast that says what is missing. */
const write = useAct(
  (one: Approval) => data(api.POST("/api/approvals/write", { body: { student: one.student, course: one.course } })),
  { done: ({ key }) => router.push(`/broadcasts/${key}`) },
);
</script>

<template>
  <section v-if="waiting?.length" class="sheet box" aria-label="Certificates to approve">
    <h2>
      Certificates to approve<span class="pill stuck num">{{ waiting.length }}</span
      ><Button
        v-if="chosen.length"
        size="small"
        type="primary"
        class="all"
        :loading="approve.isPending.value"
        @click="approve.mutate(chosen)"
        >Approve {{ chosen.length }}</Button
      >
    </h2>
    <article v-for="one in shown" :key="id(one)" class="one">
      <Checkbox
        :checked="ticked.includes(id(one))"
        :aria-label="`Choose ${one.name}`"
        @change="(e) => tick(one, e.target.checked)"
      />
      <div class="what">
        <RouterLink :to="`/students/${one.student}`"
          ><bdi>{{ one.name }}</bdi></RouterLink
        >
        · {{ one.course_title }}<span class="label"> · asked {{ one.requested }}</span>
        <p>
          {{ one.lessons_done }} of {{ one.lessons }} lessons, {{ one.progress }}%<template v-if="one.began">
            · <span class="postmark">{{ one.began }}</span> to <span class="postmark">{{ one.ended }}</span></template
          >
        </p>
        <p v-if="one.quizzes.length" class="label">
          <template v-for="(quiz, at) in one.quizzes" :key="quiz.title"
            ><template v-if="at"> · </template>{{ quiz.title }}:
            {{
              quiz.attempts
                ? `${quiz.score}% at attempt ${quiz.attempts}${quiz.passed ? "" : ", not passed"}`
                : "not taken"
            }}</template
          >
        </p>
        <p v-if="one.hurried" class="warn">▲ {{ one.hurried }}</p>
        <details v-if="one.open.length">
          <summary>{{ one.open.length }} still open</summary>
          {{ one.open.join(" · ") }}
        </details>
        <p v-for="line in one.follows" :key="line" class="label">Approved, {{ line }}</p>
        <p v-if="!one.follows.length" class="warn">
          ▲ Approved, it is issued, but no letter tells them.
          <button class="link" @click="ending.mutate(one.course)">Draft one</button>
        </p>
        <div class="acts">
          <Button size="small" :loading="approve.isPending.value" @click="approve.mutate([one])">Approve</Button
          ><Button size="small" type="text" @click="decline.mutate(one)">Put aside</Button
          ><Button size="small" type="text" @click="write.mutate(one)">Put aside and write to them</Button>
        </div>
      </div>
    </article>
    <p v-if="waiting.length > FEW" class="rest">
      <button class="link" @click="all = !all">{{ all ? "Show fewer" : `Show all ${waiting.length}` }}</button>
    </p>
  </section>
</template>

<style scoped>
h2 {
  padding: 12px 14px 8px;
  display: flex;
  gap: 10px;
  align-items: center;
}
.all {
  margin-left: auto;
}
.one {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 10px;
  align-items: start;
  padding: 10px 14px;
  border-top: 1px solid var(--rule2);
}
p {
  margin: 2px 0;
}
.rest {
  padding: 8px 14px;
  border-top: 1px solid var(--rule2);
  margin: 0;
}
.warn {
  color: var(--warn);
}
.acts {
  display: flex;
  gap: 4px;
  margin-top: 4px;
  flex-wrap: wrap;
}
details {
  color: var(--soft);
  font-size: 13px;
  overflow-wrap: anywhere;
}
.what {
  overflow-wrap: anywhere;
}
</style>
