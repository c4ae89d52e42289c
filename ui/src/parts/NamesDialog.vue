<script setup lang="ts" generic="One extends { key: string; name: string; email: string }">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import Modal from "ant-design-vue/es/modal";
import { computed, reactive } from "vue";

import PageLinks from "./PageLinks.vue";

/** The students behind a number; `of` names what is asked about, `find` asks for a page of them. */
const props = defineProps<{
  of: unknown[];
  find: (asked: { q: string; page: number }) => Promise<{ total: number; items: One[] }>;
  title: (total: number | undefined) => string;
}>();
const emit = defineEmits<{ close: [] }>();
const asked = reactive({ q: "", page: 1 });
const { data: page } = useQuery({
  queryKey: ["names", computed(() => props.of), asked],
  queryFn: () => props.find({ ...asked }),
  placeholderData: keepPreviousData,
});
</script>

<template>
  <Modal open :title="title(page?.total)" :footer="null" @cancel="emit('close')">
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
        ><slot name="beside" :one="one" />
      </li>
    </ul>
    <p v-if="page && !page.items.length" class="soft">Nobody.</p>
    <PageLinks v-if="page" v-model="asked.page" :total="page.total" />
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
