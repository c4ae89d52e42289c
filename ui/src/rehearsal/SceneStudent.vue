<script setup lang="ts">
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import RadioGroup from "ant-design-vue/es/radio/Group";
import Select from "ant-design-vue/es/select";
import { useQuery } from "@tanstack/vue-query";
import { computed } from "vue";

import { api, data } from "../api/client";
import { useThings } from "../api/things";
import StudentPick from "../parts/StudentPick.vue";
import type { Scene } from "./moves";

/** Who rehearses: somebody made up, or a real student's facts. */
const who = defineModel<Pick<Scene, "student" | "made_up">>({ required: true });
const { options } = useThings();
const { data: zones } = useQuery({
  queryKey: ["zones"],
  queryFn: () => data(api.GET("/api/school/zones")),
  staleTime: Infinity,
});
const made = computed(() => who.value.made_up);
const real = computed({
  get: () => who.value.student ?? "",
  set: (student) => (who.value = { ...who.value, student }),
});
const set = (fields: object) =>
  (who.value = { ...who.value, made_up: { ...(made.value as NonNullable<typeof made.value>), ...fields } });
</script>

<template>
  <div class="who">
    <RadioGroup
      :value="who.student === null ? 'made' : 'real'"
      :options="[
        { value: 'made', label: 'made up' },
        { value: 'real', label: 'a real one’s facts' },
      ]"
      @change="(e) => (who = { ...who, student: e.target.value === 'made' ? null : '' })"
    />
    <StudentPick v-if="who.student !== null" v-model="real" label="Whose facts" />
    <template v-else-if="made">
      <Input
        :value="made.first_name"
        aria-label="First name"
        placeholder="no first name"
        @change="(e: Event) => set({ first_name: (e.target as HTMLInputElement).value })"
      />
      <Select
        v-named="'Time zone'"
        :value="made.timezone ?? ''"
        show-search
        :options="[
          { value: '', label: 'the school’s time zone' },
          ...(zones?.zones ?? []).map((zone) => ({ value: zone, label: zone.replaceAll('_', ' ') })),
        ]"
        option-filter-prop="label"
        @change="(zone) => set({ timezone: zone || null })"
      />
      <Select
        v-named="'Tags'"
        mode="tags"
        :value="made.tags"
        :options="options.tag"
        placeholder="no tags"
        @change="(tags) => set({ tags })"
      />
      <Checkbox :checked="made.news" @change="(e) => set({ news: e.target.checked })">wants news</Checkbox>
    </template>
  </div>
</template>

<style scoped>
.who {
  display: flex;
  flex-direction: column;
  gap: 7px;
}
</style>
