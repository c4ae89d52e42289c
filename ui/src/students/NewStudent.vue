<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";

import { api, data } from "../api/client";

const form = defineModel<{ email: string; first_name: string; last_name: string; timezone: string; news: boolean }>({
  required: true,
});
defineProps<{ invented?: boolean }>();
const { data: zones } = useQuery({
  queryKey: ["zones"],
  queryFn: () => data(api.GET("/api/school/zones")),
  staleTime: Infinity,
});
</script>

<template>
  <div class="form">
    <label>First name<Input v-model:value="form.first_name" data-testid="first-name" /></label>
    <label>Last name<Input v-model:value="form.last_name" /></label>
    <label class="wide"
      >E-mail address<Input
        v-model:value="form.email"
        type="email"
        data-testid="email"
        :placeholder="invented ? 'empty: one is invented' : ''"
    /></label>
    <label class="wide"
      >Time zone<Select
        v-model:value="form.timezone"
        v-named="'Time zone'"
        show-search
        data-testid="zone"
        :options="[
          { value: '', label: 'Not known: the school’s counts' },
          ...(zones?.zones ?? []).map((zone) => ({ value: zone, label: zone.replaceAll('_', ' ') })),
        ]"
        option-filter-prop="label"
    /></label>
    <Checkbox v-model:checked="form.news" class="wide">Has agreed to get news</Checkbox>
  </div>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 12px;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
.wide {
  grid-column: 1 / -1;
}
</style>
