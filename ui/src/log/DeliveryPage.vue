<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Segmented from "ant-design-vue/es/segmented";
import { computed, ref } from "vue";

import { api, data } from "../api/client";
import { PURPOSES } from "../api/school-file";
import EmptyState from "../parts/EmptyState.vue";
import LetterPaper from "../parts/LetterPaper.vue";
import PageHead from "../parts/PageHead.vue";
import SendAgain from "./SendAgain.vue";

const props = defineProps<{ id: string }>();
const view = ref<string | number>("Desk");
const { data: found, error } = useQuery({
  queryKey: ["delivery", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/deliveries/{id}", { params: { path: { id: Number(props.id) } } })),
});
const heading = computed(
  () =>
    ({ sent: "Why it went out", queued: "Why it went out", posting: "Why it went out", held: "Why it is kept back" })[
      found.value?.delivery.status ?? ""
    ] ?? "Why it did not go out",
);
</script>

<template>
  <template v-if="found">
    <PageHead
      :title="found.delivery.subject || found.delivery.letter_name"
      :above="{ to: '/dispatch', name: 'Dispatch log' }"
      ><template #beside
        ><span class="pill" :class="found.delivery.status">{{ found.delivery.status_words }}</span
        ><span v-if="found.delivery.sent_by" class="soft">sent again by {{ found.delivery.sent_by }}</span></template
      >
      <SendAgain
        v-if="!['queued', 'posting', 'held'].includes(found.delivery.status)"
        :id="found.delivery.id"
        :status="found.delivery.status"
      />
    </PageHead>
    <div class="room">
      <section class="why">
        <p class="soft postmark">
          {{ found.delivery.local }} where they live · {{ found.delivery.school_time }} school time
        </p>
        <h2>{{ heading }}</h2>
        <ol data-testid="story">
          <li v-for="(line, index) in found.story" :key="index">{{ line }}</li>
        </ol>
        <dl>
          <dt class="label">To</dt>
          <dd>
            <RouterLink :to="`/students/${found.delivery.student}`"
              ><bdi>{{ found.delivery.student_name }}</bdi></RouterLink
            ><br />{{
              found.delivery.to?.map((one) => (one === "owner" ? "to you, about them" : one)).join(", ") ??
              found.delivery.email
            }}
          </dd>
          <dt class="label">Letter</dt>
          <dd>
            <RouterLink :to="`/letters/${found.delivery.letter}`">{{ found.delivery.letter_name }}</RouterLink>
          </dd>
          <dt class="label">Purpose</dt>
          <dd>{{ PURPOSES[found.delivery.purpose as keyof typeof PURPOSES] }}</dd>
          <template v-if="found.delivery.broadcast"
            ><dt class="label">Broadcast</dt>
            <dd>
              <RouterLink :to="`/broadcasts/${found.delivery.broadcast}`">{{
                found.delivery.sequence_name
              }}</RouterLink>
            </dd></template
          >
          <template v-else
            ><dt class="label">Sequence</dt>
            <dd>
              <RouterLink :to="`/sequences/${found.delivery.sequence}`">{{ found.delivery.sequence_name }}</RouterLink>
            </dd></template
          >
        </dl>
      </section>
      <section class="letter">
        <div class="views">
          <span class="label">The letter, with the values of that moment</span
          ><Segmented v-model:value="view" :options="['Desk', 'Phone', 'Plain text']" size="small" />
        </div>
        <pre v-if="view === 'Plain text'" class="sheet">{{ found.text }}</pre>
        <LetterPaper v-else :html="found.html" :narrow="view === 'Phone'" title="The letter as sent" />
      </section>
    </div>
  </template>
  <template v-else-if="error"
    ><PageHead title="Delivery" :above="{ to: '/dispatch', name: 'Dispatch log' }" /><EmptyState
      title="This delivery can't be shown"
      >{{ error.message }}</EmptyState
    ></template
  >
</template>

<style scoped>
.room {
  display: grid;
  grid-template-columns: minmax(0, 380px) minmax(0, 1fr);
  gap: 22px;
  padding: 18px 22px 32px;
  align-items: start;
}
ol {
  padding-left: 20px;
  margin: 8px 0 18px;
}
li {
  padding: 3px 0;
  overflow-wrap: anywhere;
}
dl {
  display: grid;
  grid-template-columns: 76px minmax(0, 1fr);
  gap: 6px;
  border-top: 1px solid var(--rule);
  padding-top: 12px;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.views {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
  margin-bottom: 8px;
  flex-wrap: wrap;
}
pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  padding: 16px;
  font: 13.5px/1.5 var(--mark);
}
@media (max-width: 900px) {
  .room {
    grid-template-columns: minmax(0, 1fr);
    padding: 14px;
  }
}
</style>
