<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Segmented from "ant-design-vue/es/segmented";
import Select from "ant-design-vue/es/select";
import { watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import PageLinks from "../parts/PageLinks.vue";
import { useInAddress } from "../parts/in-address";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";

const router = useRouter();
type Status = "" | "sent" | "going" | "skipped" | "held" | "waiting";
const asked = useInAddress({ q: "", status: "" as Status, sequence: "", broadcast: "", page: 1 });
watch(
  () => [asked.q, asked.status, asked.sequence, asked.broadcast],
  () => (asked.page = 1),
);
const { data: sequences } = useQuery({ queryKey: ["sequences"], queryFn: () => data(api.GET("/api/sequences")) });
const { data: page } = useQuery({
  queryKey: ["deliveries", asked],
  queryFn: () => data(api.GET("/api/deliveries", { params: { query: { ...asked } } })),
  placeholderData: keepPreviousData,
});
</script>

<template>
  <PageHead title="Dispatch log">
    <template #beside
      ><span v-if="page" class="soft">{{ page.total }} deliveries</span></template
    >
    <Input
      v-model:value="asked.q"
      placeholder="Name, address or subject"
      aria-label="Find a delivery"
      allow-clear
      style="width: 210px"
    />
    <Select
      v-model:value="asked.sequence"
      v-named="'Sequence'"
      :options="[
        { value: '', label: 'From any sequence' },
        ...(sequences ?? []).map((s) => ({ value: s.key, label: s.name })),
      ]"
      :dropdown-match-select-width="false"
      style="width: 190px"
    />
    <Button v-if="asked.broadcast" @click="asked.broadcast = ''"
      >{{ page?.items[0]?.sequence_name ?? "One broadcast" }} ✕</Button
    >
    <Segmented
      v-model:value="asked.status"
      :options="[
        { value: '', label: 'All' },
        { value: 'sent', label: 'Sent' },
        { value: 'going', label: 'Going out' },
        { value: 'skipped', label: 'Not posted' },
        { value: 'held', label: 'Kept back' },
        { value: 'waiting', label: 'Stuck' },
      ]"
    />
  </PageHead>
  <div class="room">
    <template v-if="page?.items.length">
      <div class="sheet scroll">
        <table class="plain">
          <thead>
            <tr>
              <th>School time</th>
              <th>Letter</th>
              <th>To</th>
              <th>What became of it</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="line in page.items" :key="line.id" class="opens" @click="router.push(`/dispatch/${line.id}`)">
              <td class="postmark when">{{ line.school_time }}</td>
              <td>
                <RouterLink :to="`/dispatch/${line.id}`" class="name" @click.stop>{{
                  line.subject || line.letter_name
                }}</RouterLink>
                <div class="label">{{ line.sequence_name }}</div>
              </td>
              <td>
                <bdi>{{
                  line.to ? (line.to.includes("owner") ? "you" : line.to.join(", ")) : line.student_name
                }}</bdi><span v-if="line.to" class="label">
                  about <bdi>{{ line.student_name }}</bdi></span
                >
                <div class="label">{{ line.local }} there</div>
              </td>
              <td>
                <span class="pill" :class="line.status">{{ line.status_words }}</span><span
                  v-if="line.sent_by"
                  class="label"
                >
                  again, by {{ line.sent_by }}</span
                >
                <div v-if="line.reason" class="label why">{{ line.reason }}</div>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <PageLinks v-model="asked.page" :total="page.total" large class="pages" />
    </template>
    <EmptyState
      v-else-if="page && (asked.q || asked.status || asked.sequence || asked.broadcast)"
      title="No delivery like that"
      >Try other words, or look at all of them.</EmptyState
    >
    <EmptyState v-else-if="page" title="Nothing posted yet"
      >Every letter that goes out, and every one that does not, will stand here with its reasons.</EmptyState
    >
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
}
.scroll {
  overflow-x: auto;
}
.when {
  white-space: nowrap;
}
.pages {
  margin-top: 14px;
}
.why {
  max-width: 300px;
}
.name {
  font: 600 14.5px var(--title);
  color: var(--ink);
  text-decoration: none;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  table.plain,
  tbody,
  tr,
  td {
    display: block;
  }
  thead {
    display: none;
  }
  tr {
    border-bottom: 1px solid var(--rule);
    padding: 6px 0;
  }
  table.plain td {
    border: 0;
    padding: 3px 14px;
  }
}
</style>
