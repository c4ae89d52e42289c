<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";

/** A student's record: name, address, zone, and the school's own fields. */
const open = defineModel<boolean>("open", { required: true });
const props = defineProps<{ student: Api["StudentOut"] }>();
const client = useQueryClient();
const { things } = useThings();
const form = ref({ email: "", first_name: "", last_name: "", timezone: "" });
const fields = ref<{ name: string; value: string }[]>([]);
watch(open, (now) => {
  if (!now) return;
  const s = props.student;
  form.value = {
    email: s.email,
    first_name: s.first_name ?? "",
    last_name: s.last_name ?? "",
    timezone: s.own_zone ? s.zone : "",
  };
  const names = [...new Set([...Object.keys(s.fields), ...(things.value?.fields ?? [])])];
  fields.value = names.map((name) => ({ name, value: String(s.fields[name] ?? "") }));
});
const { data: zones } = useQuery({
  queryKey: ["zones"],
  queryFn: () => data(api.GET("/api/school/zones")),
  staleTime: Infinity,
  enabled: open,
});
const options = computed(() => [
  { value: "", label: "the school's" },
  ...(zones.value?.zones ?? []).map((zone) => ({ value: zone, label: zone.replaceAll("_", " ") })),
]);
/** What was not touched keeps its kind: a number stays a number. */
const kept = (name: string, text: string) =>
  String(props.student.fields[name] ?? "") === text ? (props.student.fields[name] ?? null) : text;
const save = useAct(
  () =>
    data(
      api.PUT("/api/students/{key}", {
        params: { path: { key: props.student.key } },
        body: {
          ...form.value,
          timezone: form.value.timezone || null,
          fields: Object.fromEntries(
            fields.value.filter((f) => f.name.trim()).map((f) => [f.name.trim(), kept(f.name, f.value)]),
          ),
        },
      }),
    ),
  {
    done: (now) => {
      client.setQueryData(["student", props.student.key], now);
      open.value = false;
    },
  },
);
</script>

<template>
  <AskDialog
    v-model:open="open"
    title="Edit"
    ok="Save"
    :busy="save.isPending.value"
    :ready="form.email.includes('@')"
    @ok="save.mutate()"
  >
    <div class="form">
      <label>Address<Input v-model:value="form.email" aria-label="Address" /></label>
      <label>First name<Input v-model:value="form.first_name" aria-label="First name" /></label>
      <label>Last name<Input v-model:value="form.last_name" aria-label="Last name" /></label>
      <label
        >Time zone<Select
          v-model:value="form.timezone"
          v-named="'Time zone'"
          :options="options"
          show-search
          option-filter-prop="label"
      /></label>
      <label v-for="(field, index) in fields" :key="index"
        ><Input
          v-model:value="field.name"
          :bordered="false"
          aria-label="Name of the field"
          placeholder="name of the field"
          class="name" /><Input v-model:value="field.value" :aria-label="field.name || 'Value'"
      /></label>
      <Button size="small" @click="fields.push({ name: '', value: '' })">Add a field</Button>
    </div>
  </AskDialog>
</template>

<style scoped>
.form {
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: flex-start;
}
.form label {
  display: grid;
  grid-template-columns: 130px minmax(0, 1fr);
  gap: 8px;
  align-items: center;
  width: 100%;
}
.name {
  padding-left: 0;
  color: var(--soft);
}
</style>
