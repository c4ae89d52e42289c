<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import Modal from "ant-design-vue/es/modal";
import Pagination from "ant-design-vue/es/pagination";
import { computed, reactive } from "vue";

import type { Api } from "../api/client";
import { WHAT } from "./words";

/** The students behind a number, each with their letter; `of` names what is asked about, `find` asks for a page of them. */
const props = defineProps<{
  of: unknown[];
  outcome: string;
  reason: string;
  find: (asked: { q: string; page: number; reason: string }) => Promise<Api["OutcomePage"]>;
}>();
const emit = defineEmits<{ close: [] }>();
const asked = reactive({ q: "", page: 1 });
const { data: page } = useQuery({
  queryKey: ["outcome", computed(() => [...props.of, props.outcome, props.reason]), asked],
  queryFn: () => props.find({ ...asked, reason: props.reason }),
  placeholderData: keepPreviousData,
});
</script>

<template>
  <Modal open :title="`${WHAT[outcome]}: ${page?.total ?? '…'}`" :footer="null" @cancel="emit('close')">
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
        >{{ " " }}<span class="label">{{ one.email }}</span
        >{{ " " }}<RouterLink :to="`/dispatch/${one.delivery}`" class="letter">their letter</RouterLink>
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
.letter {
  float: right;
  font-size: 13px;
}
</style>
