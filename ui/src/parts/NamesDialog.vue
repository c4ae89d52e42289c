<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import Modal from "ant-design-vue/es/modal";
import Pagination from "ant-design-vue/es/pagination";
import { reactive } from "vue";

import { api, data } from "../api/client";
import type { Condition } from "../conditions/conditions";

/** The names behind a number: those whom all these lines pick. */
const props = defineProps<{ lines: Condition[]; course: string | null }>();
const emit = defineEmits<{ close: [] }>();
const asked = reactive({ q: "", page: 1 });
const { data: page } = useQuery({
  queryKey: ["audience-names", () => props.lines, () => props.course, asked],
  queryFn: () =>
    data(api.POST("/api/audiences/names", { body: { lines: props.lines, course: props.course, ...asked } })),
  placeholderData: keepPreviousData,
});
</script>

<template>
  <Modal
    open
    :title="page ? `${page.total} ${page.total === 1 ? 'student' : 'students'}` : 'Students'"
    :footer="null"
    @cancel="emit('close')"
  >
    <Input
      v-model:value="asked.q"
      placeholder="Name or address"
      aria-label="Find among them"
      allow-clear
      @change="asked.page = 1"
    />
    <ul class="names">
      <li v-for="one in page?.items ?? []" :key="one.key">
        <RouterLink :to="`/students/${one.key}`"
          ><bdi>{{ one.name }}</bdi></RouterLink
        >{{ " " }}<span class="label">{{ one.email }}</span>
      </li>
    </ul>
    <p v-if="page && !page.items.length" class="soft">Nobody.</p>
    <Pagination
      v-if="page && page.total > 50"
      v-model:current="asked.page"
      :total="page.total"
      :page-size="50"
      :show-size-changer="false"
      size="small"
    />
  </Modal>
</template>

<style scoped>
.names {
  list-style: none;
  margin: 10px 0;
  padding: 0;
  max-height: 50vh;
  overflow-y: auto;
}
.names li {
  padding: 4px 2px;
  border-bottom: 1px solid var(--rule2);
  overflow-wrap: anywhere;
}
</style>
