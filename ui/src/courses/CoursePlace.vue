<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Modal from "ant-design-vue/es/modal";
import Tabs from "ant-design-vue/es/tabs";
import { computed, ref, toRefs } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useInAddress } from "../parts/in-address";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import CourseFeedback from "./CourseFeedback.vue";
import CourseFigures from "./CourseFigures.vue";
import CourseLine from "./CourseLine.vue";
import DraftEnding from "./DraftEnding.vue";
import MedianPost from "./MedianPost.vue";
import OutlineEdit from "./OutlineEdit.vue";
import { counted } from "../parts/counted";

const props = defineProps<{ id: string }>();
const router = useRouter();
const notice = useNotice();
const { tab, silent, folded } = toRefs(useInAddress({ tab: "line", silent: 7, folded: null as string[] | null }));
const asked = ref<{ stop: Api["StopOut"]; silent: boolean } | null>(null);

const { data: line, error } = useQuery({
  queryKey: ["line", computed(() => props.id), silent],
  queryFn: () =>
    data(
      api.GET("/api/courses/{key}/line", { params: { path: { key: props.id }, query: { silent_days: silent.value } } }),
    ),
});
const { data: there } = useQuery({
  queryKey: ["stop-students", computed(() => props.id), computed(() => asked.value?.stop.id), silent],
  queryFn: () =>
    data(
      api.GET("/api/courses/{key}/students", {
        params: { path: { key: props.id }, query: { stop: asked.value?.stop.id ?? "", silent_days: silent.value } },
      }),
    ),
  enabled: computed(() => asked.value !== null),
});
const shown = computed(() => (there.value ?? []).filter((one) => !asked.value?.silent || one.silent));
const stops = (kind: string) => line.value?.stops.filter((stop) => stop.kind === kind).length ?? 0;
const worst = computed(() => line.value?.stops.find((stop) => stop.id === line.value?.worst));
const drafted = computed(() => worst.value?.letters.find((letter) => letter.status === "draft"));
const draft = useAct(
  (stop: string) => data(api.POST("/api/courses/{key}/nudge", { params: { path: { key: props.id } }, body: { stop } })),
  {
    done: ({ key }) => {
      notice.done("Drafted, with a letter. Read it, change it, rehearse it; nothing goes out until you run it.");
      void router.push(`/sequences/${key}`);
    },
  },
);
const { data: broadcasts } = useQuery({ queryKey: ["broadcasts"], queryFn: () => data(api.GET("/api/broadcasts")) });
const about = computed(() => (broadcasts.value ?? []).filter((one) => one.course === props.id));
const write = useAct(
  () =>
    data(
      api.POST("/api/broadcasts", {
        body: {
          name: `To those at “${asked.value?.stop.title}”`,
          letter: null,
          to: { is: "student", keys: shown.value.map((one) => one.key) },
        },
      }),
    ),
  { done: ({ key }) => router.push(`/broadcasts/${key}`), refreshes: [] },
);
</script>

<template>
  <template v-if="line">
    <PageHead :title="line.title" :above="{ to: '/courses', name: 'Courses' }">
      <template #beside
        ><span class="pill wide-only"
          >{{ counted(stops("module"), "module") }} · {{ counted(stops("lesson"), "lesson") }} ·
          {{ counted(stops("quiz"), "quiz", "quizzes") }}</span
        ></template
      >
    </PageHead>
    <Tabs v-model:active-key="tab" class="tabs"
      ><Tabs.TabPane key="line" tab="Course line" /><Tabs.TabPane key="figures" tab="Figures" /><Tabs.TabPane
        key="feedback"
        tab="Feedback" /><Tabs.TabPane key="outline" tab="Outline and set-up"
    /></Tabs>
    <div v-if="tab === 'line'" class="desk">
      <CourseLine
        v-model:silent="silent"
        v-model:folded="folded"
        :line="line"
        @who="(stop, only) => (asked = { stop, silent: only })"
        @nudge="(stop) => draft.mutate(stop)"
      />
      <aside class="side">
        <section v-if="worst">
          <h2>“{{ worst.title }}” is where they stop</h2>
          <p>
            {{ worst.silent }} of the {{ worst.here }} students there have done nothing for {{ line.silent_days }} days
            or more. {{ worst.reached ? `A letter reaches ${worst.reached} of them.` : "No letter reaches them." }}
          </p>
          <RouterLink v-if="drafted" :to="`/sequences/${drafted.sequence}`"
            ><Button type="primary">Look at the draft for them</Button></RouterLink
          >
          <Button v-else type="primary" :loading="draft.isPending.value" @click="draft.mutate(worst.id)"
            >Draft a nudge here</Button
          >
        </section>
        <section v-else>
          <h2>No gaps</h2>
          <p class="soft">Wherever students have gone quiet, a letter reaches them.</p>
        </section>
        <MedianPost :id="id" />
        <section>
          <h2>Who is told what</h2>
          <p class="soft">Everything that happens in this course, and who hears of it.</p>
          <RouterLink :to="`/who-is-told?course=${id}`">Look at it</RouterLink>
        </section>
        <section v-if="line.has_certificate && !line.has_ending">
          <h2>Nothing comes after the certificate</h2>
          <p>Certificate at once, feedback a week later, then the next course for whoever has not bought it.</p>
          <DraftEnding :id="id" />
        </section>
        <section v-if="about.length">
          <h2>Broadcasts about it</h2>
          <p v-for="one in about" :key="one.key">
            <RouterLink :to="`/broadcasts/${one.key}`">{{ one.name }}</RouterLink><br /><span class="label"
              >{{ one.status_words }} · {{ one.when }}</span
            >
          </p>
        </section>
        <section>
          <h2>Reached the end</h2>
          <p v-if="line.reached_end.whole">
            <b class="postmark rate">{{ line.reached_end.percent }}%</b> {{ line.reached_end.part }} of
            {{ line.reached_end.whole }} · {{ line.reached_end.low }}–{{ line.reached_end.high }}% likely range
          </p>
          <p v-else class="soft">Nobody has enrolled yet.</p>
        </section>
      </aside>
    </div>
    <CourseFigures v-else-if="tab === 'figures'" :id="id" :worst="worst" @line="tab = 'line'" />
    <CourseFeedback v-else-if="tab === 'feedback'" :id="id" :certificate="line.has_certificate" />
    <OutlineEdit v-else :id="id" />
    <Modal
      :open="asked !== null"
      :title="asked ? `${asked.silent ? 'Silent' : 'Standing'} at “${asked.stop.title}”` : ''"
      :footer="null"
      @cancel="asked = null"
    >
      <ul class="who">
        <li v-for="one in shown" :key="one.key">
          <RouterLink :to="`/students/${one.key}`">{{ one.name }}</RouterLink>{{ " "
          }}<span class="label">last seen {{ one.last_seen }}{{ one.silent ? " · silent" : "" }}</span>
        </li>
      </ul>
      <p v-if="there && !shown.length" class="soft">Nobody.</p>
      <Button v-if="shown.length" :loading="write.isPending.value" @click="write.mutate()"
        >Write to {{ shown.length === 1 ? "them" : `these ${shown.length}` }}</Button
      >
    </Modal>
  </template>
  <template v-else-if="error"
    ><PageHead title="Course" :above="{ to: '/courses', name: 'Courses' }" /><EmptyState
      title="This course can't be shown"
      >{{ error.message }}</EmptyState
    ></template
  >
</template>

<style scoped>
.tabs {
  padding: 0 22px;
  background: var(--sheet2);
  flex: none;
}
.tabs :deep(.ant-tabs-nav) {
  margin: 0;
}
.tabs :deep(.ant-tabs-ink-bar) {
  background: var(--red);
}
.tabs :deep(.ant-tabs-tab-btn) {
  color: var(--ink) !important;
}
.desk {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 314px;
  flex: 1;
  min-height: 0;
}
.side {
  background: var(--sheet);
  border-left: 1px solid var(--rule);
  padding: 16px 18px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 18px;
}
.side section {
  border-bottom: 1px solid var(--rule2);
  padding-bottom: 16px;
}
.side p {
  margin: 6px 0 10px;
}
.rate {
  font-size: 21px;
}
.who {
  max-height: 55vh;
  overflow-y: auto;
  padding-left: 18px;
}
.who li {
  padding: 3px 0;
}
@media (max-width: 1000px) {
  .desk {
    display: block;
    overflow: auto;
  }
  .side {
    border-left: 0;
    border-top: 1px solid var(--rule);
  }
  .tabs {
    padding: 0 14px;
  }
}
</style>
