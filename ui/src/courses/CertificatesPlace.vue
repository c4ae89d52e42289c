<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed, reactive, ref } from "vue";
import { useRoute } from "vue-router";

import KeptFile from "../parts/KeptFile.vue";
import { rooted } from "../api/base";
import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import PageLinks from "../parts/PageLinks.vue";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import DateInput from "../parts/DateInput.vue";

type Certificate = Api["CertificateOut"];
/** Every certificate: found, opened, its name put right, taken back; as CSV, and a course's PDFs as one archive. */
const route = useRoute();
const notice = useNotice();
const { options } = useThings();
const asked = reactive({
  q: String(route.query.q ?? ""),
  course: "",
  state: "" as "" | "stands" | "taken_back",
  since: "",
  until: "",
  page: 1,
});
const query = computed(() => ({ ...asked, since: asked.since || undefined, until: asked.until || undefined }));
const { data: page } = useQuery({
  queryKey: ["certificates", asked],
  queryFn: () => data(api.GET("/api/certificates", { params: { query: query.value } })),
  placeholderData: keepPreviousData,
});
const csv = computed(() =>
  rooted(
    `/api/certificates/csv?${new URLSearchParams({
      q: asked.q,
      course: asked.course,
      state: asked.state,
      ...(asked.since && { since: asked.since }),
      ...(asked.until && { until: asked.until }),
    })}`,
  ),
);
const naming = ref<Certificate | null>(null);
const name = ref("");
const rename = useAct(
  () =>
    data(
      api.PUT("/api/certificates/{code}", {
        params: { path: { code: naming.value?.code ?? "" } },
        body: { name: name.value },
      }),
    ),
  {
    done: (now) => {
      naming.value = null;
      notice.done(`${now.code} is printed for ${now.name} from now on, under the same number.`);
    },
    refreshes: ["certificates"],
  },
);
const back = useAct(
  (code: string) => data(api.POST("/api/certificates/{code}/take-back", { params: { path: { code } } })),
  { done: (now) => notice.done(`${now.code} is taken back; its page says so.`) },
);
const again = useAct((body: { course: string; code: string }) => data(api.POST("/api/certificates/again", { body })), {
  done: (now) =>
    notice.done(
      now.changed === 1
        ? "It is issued again in today's design, under the same number."
        : `${now.changed} are issued again in today's design, under the same numbers.`,
    ),
  refreshes: ["certificates"],
});
async function askBack(one: Certificate): Promise<void> {
  if (
    await notice.ask(
      "Take this certificate back?",
      `Whoever looks up ${one.code} reads that it is no longer valid. ${one.student_name} can get another one as anybody can.`,
      "Take it back",
      "Let it stand",
    )
  )
    back.mutate(one.code);
}
// An archive is drawn in the background and fetched when it is ready.
const archive = ref<Api["ArchiveOut"] | null>(null);
const draw = useAct(() => data(api.POST("/api/certificates/archive", { body: { course: asked.course } })), {
  done: (now) => (archive.value = now),
  refreshes: [],
});
useQuery({
  queryKey: ["archive", computed(() => archive.value?.id)],
  queryFn: async () =>
    (archive.value = await data(
      api.GET("/api/certificates/archive/{id}", { params: { path: { id: archive.value?.id ?? 0 } } }),
    )),
  enabled: computed(() => archive.value?.state === "working"),
  refetchInterval: 700,
});
</script>

<template>
  <PageHead title="Certificates" :above="{ to: '/courses', name: 'Courses' }">
    <template v-if="asked.course"
      ><KeptFile v-if="archive?.state === 'done'" :href="rooted(`/api/certificates/archive/${archive.id}/file`)"
        ><Button type="primary">Fetch {{ archive.total }} PDFs</Button></KeptFile
      ><Button v-else :loading="draw.isPending.value || archive?.state === 'working'" @click="draw.mutate()">{{
        archive?.state === "working" ? `${archive.done} of ${archive.total} drawn` : "All PDFs of this course"
      }}</Button></template
    >
    <KeptFile :href="csv"><Button>CSV</Button></KeptFile>
  </PageHead>
  <div class="room">
    <div class="filters">
      <Input
        v-model:value="asked.q"
        placeholder="Name, address or number"
        aria-label="Find a certificate"
        allow-clear
        style="width: 240px"
        @change="asked.page = 1"
      />
      <Select
        v-model:value="asked.course"
        v-named="'Course'"
        :options="[{ value: '', label: 'any course' }, ...(options.course ?? [])]"
        style="width: 190px"
        @change="((asked.page = 1), (archive = null))"
      />
      <Select
        v-model:value="asked.state"
        v-named="'State'"
        :options="[
          { value: '', label: 'standing or not' },
          { value: 'stands', label: 'standing' },
          { value: 'taken_back', label: 'taken back' },
        ]"
        style="width: 160px"
        @change="asked.page = 1"
      />
      <span class="from"
        >issued from
        <DateInput
          :model-value="asked.since || null"
          label="Issued from"
          empty
          @update:model-value="(day) => ((asked.since = day ?? ''), (asked.page = 1))"
      /></span>
      <span class="from"
        >to
        <DateInput
          :model-value="asked.until || null"
          label="Issued to"
          empty
          @update:model-value="(day) => ((asked.until = day ?? ''), (asked.page = 1))"
      /></span>
      <span v-if="page" class="soft">{{ page.total }} {{ page.total === 1 ? "certificate" : "certificates" }}</span>
    </div>
    <p v-if="page?.older" class="sheet notice">
      {{
        page.older === 1 ? "One certificate of this course stands" : `${page.older} certificates of this course stand`
      }}
      in an older design, as issued.
      <Button size="small" :loading="again.isPending.value" @click="again.mutate({ course: asked.course, code: '' })"
        >Issue {{ page.older === 1 ? "it" : "them" }} again in today's</Button
      >
    </p>
    <div v-if="page?.items.length" class="sheet scroll">
      <table class="plain">
        <thead>
          <tr>
            <th>Number</th>
            <th>Printed for</th>
            <th>Course</th>
            <th>Issued</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in page.items" :key="one.code">
            <td>
              <a :href="rooted(`/certificate/${one.code}`)" target="_blank" rel="noopener" class="postmark">{{
                one.code
              }}</a>
            </td>
            <td>
              <RouterLink :to="`/students/${one.student}`"
                ><bdi>{{ one.name || "a student of the school" }}</bdi></RouterLink
              >
              <div v-if="one.own_name" class="label">
                by wish; otherwise <bdi>{{ one.student_name }}</bdi>
              </div>
              <div v-if="one.unprintable" class="warn">▲ No font here has {{ one.unprintable }}</div>
            </td>
            <td>
              {{ one.course_title }}
              <div v-if="one.older_design" class="label">
                in an older design ·
                <button class="link" @click="again.mutate({ course: one.course, code: one.code })">
                  issue again in today's
                </button>
              </div>
            </td>
            <td class="postmark">{{ one.issued }}</td>
            <td class="acts">
              <span v-if="one.state === 'taken_back'" class="pill skipped">taken back</span
              ><template v-else
                ><a :href="rooted(`/certificate/${one.code}/yours`)" target="_blank" rel="noopener">Their page</a
                ><a :href="rooted(`/certificate/${one.code}.pdf`)" target="_blank" rel="noopener">PDF</a
                ><button class="link" @click="((naming = one), (name = one.own_name ? one.name : ''))">Name</button
                ><button class="link" @click="askBack(one)">Take back</button></template
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <EmptyState
      v-else-if="page && !asked.q && !asked.course && !asked.state && !asked.since && !asked.until"
      title="No certificates yet"
      >They are issued when a student finishes a course that has one, after your approval where you wish it.</EmptyState
    >
    <EmptyState v-else-if="page" title="No certificate like that">Try another word, or fewer filters.</EmptyState>
    <PageLinks v-if="page" v-model="asked.page" :total="page.total" />
  </div>
  <AskDialog
    :open="naming !== null"
    title="The name on it"
    ok="Print it so"
    :busy="rename.isPending.value"
    @update:open="naming = null"
    @ok="rename.mutate()"
    ><label class="line"
      >How the name is printed. Empty: as in the student's record, “{{ naming?.student_name }}”.<Input
        v-model:value="name"
        aria-label="How the name is printed" /></label
  ></AskDialog>
</template>

<style scoped>
.from {
  white-space: nowrap;
}
.room {
  padding: 18px 22px 40px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  overflow: auto;
}
.filters {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.filters label {
  display: flex;
  gap: 6px;
  align-items: center;
  color: var(--soft);
}
.scroll {
  overflow-x: auto;
  flex: none;
}
.scroll table {
  min-width: 780px;
}
.acts {
  white-space: nowrap;
  text-align: right;
}
.acts > * {
  margin-left: 14px;
}
.notice {
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
  padding: 10px 14px;
  margin: 0;
}
.warn {
  color: var(--warn);
}
.line {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
