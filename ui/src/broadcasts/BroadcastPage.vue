<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "../api/client";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import DraftDesk from "./DraftDesk.vue";
import OutDesk from "./OutDesk.vue";

const props = defineProps<{ id: string }>();
const key = computed(() => props.id);
const { data: found, error } = useQuery({
  queryKey: ["broadcast", key],
  queryFn: () => data(api.GET("/api/broadcasts/{key}", { params: { path: { key: key.value } } })),
  refetchInterval: (query) => (query.state.data?.status === "going" ? 1_500 : false),
});
const before = computed(() => found.value && ["draft", "scheduled"].includes(found.value.status));
</script>

<template>
  <DraftDesk v-if="found && before" :id="id" :key="id" :found="found" />
  <OutDesk v-else-if="found" :id="id" :found="found" />
  <template v-else-if="error"
    ><PageHead title="Broadcast" :above="{ to: '/broadcasts', name: 'Broadcasts' }" /><EmptyState
      title="This broadcast can't be shown"
      >{{ error.message }}</EmptyState
    ></template
  >
</template>
