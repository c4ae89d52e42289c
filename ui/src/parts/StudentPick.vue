<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { api, data } from "../api/client";

const chosen = defineModel<string>({ required: true });
defineProps<{ label: string }>();
const q = ref("");
const { data: page } = useQuery({
  queryKey: ["students", "pick", q],
  queryFn: () => data(api.GET("/api/students", { params: { query: { q: q.value } } })),
});
const { data: own } = useQuery({
  queryKey: ["student", chosen],
  queryFn: () => data(api.GET("/api/students/{key}", { params: { path: { key: chosen.value } } })),
  enabled: computed(() => chosen.value !== ""),
});
const options = computed(() => {
  const found = (page.value?.items ?? []).map((s) => ({ value: s.key, label: s.name, detail: s.email }));
  if (own.value && !found.some((s) => s.value === own.value?.key))
    found.unshift({ value: own.value.key, label: own.value.name, detail: own.value.email });
  return found;
});
</script>

<template>
  <Select
    v-named="label"
    :value="chosen || undefined"
    show-search
    :filter-option="false"
    :options="options"
    :get-popup-container="(node: HTMLElement) => node.parentElement ?? node"
    placeholder="Choose a student"
    class="pick"
    :dropdown-match-select-width="280"
    @change="(key) => (chosen = String(key))"
    @search="(text: string) => (q = text)"
  >
    <template #option="{ label: name, detail }"
      ><div>{{ name }}</div>
      <div class="label">{{ detail }}</div></template
    >
  </Select>
</template>

<style scoped>
.pick {
  min-width: 180px;
}
</style>
