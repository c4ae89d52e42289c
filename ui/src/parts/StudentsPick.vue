<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Select from "ant-design-vue/es/select";
import { computed, reactive, ref, watch } from "vue";

import { api, data } from "../api/client";

/** Picks some students by name or address. */
const chosen = defineModel<string[]>({ required: true });
defineProps<{ label: string }>();
const q = ref("");
const names = reactive<Record<string, string>>({});
const { data: page } = useQuery({
  queryKey: ["students", "pick", q],
  queryFn: () => data(api.GET("/api/students", { params: { query: { q: q.value } } })),
});
watch(page, (now) => now?.items.forEach((s) => (names[s.key] = s.name)), { immediate: true });
// Names of those chosen earlier, who are not on the page that was searched for.
const { data: own } = useQuery({
  queryKey: ["audience-names", "chosen", chosen],
  queryFn: () =>
    data(
      api.POST("/api/audiences/names", { body: { lines: [{ is: "student", keys: chosen.value }], q: "", page: 1 } }),
    ),
  enabled: computed(() => chosen.value.some((key) => !names[key])),
});
watch(own, (now) => now?.items.forEach((s) => (names[s.key] = s.name)), { immediate: true });
// The best new match comes first, so that Enter takes it; those chosen already come last, so that Enter never takes one off.
const options = computed(() => {
  const found = (page.value?.items ?? []).map((s) => ({ value: s.key, label: s.name, detail: s.email }));
  const fresh = found.filter((one) => !chosen.value.includes(one.value));
  const there = chosen.value.map((key) => ({ value: key, label: names[key] ?? key, detail: "chosen" }));
  return [...fresh, ...there];
});
function choose(keys: string[]): void {
  chosen.value = keys;
  q.value = "";
}
</script>

<template>
  <Select
    v-named="label"
    :value="chosen"
    mode="multiple"
    show-search
    :filter-option="false"
    :options="options"
    class="pick"
    :get-popup-container="(node: HTMLElement) => node.parentElement ?? node"
    placeholder="Name or address"
    auto-clear-search-value
    @change="(keys) => choose(keys as string[])"
    @search="(text: string) => (q = text)"
  >
    <template #option="{ label: name, detail }"
      ><div>
        <bdi>{{ name }}</bdi>
      </div>
      <div class="label">{{ detail }}</div></template
    >
  </Select>
</template>

<style scoped>
.pick {
  width: 100%;
  min-width: 220px;
}
</style>
