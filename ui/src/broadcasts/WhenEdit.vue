<script setup lang="ts">
import InputNumber from "ant-design-vue/es/input-number";
import RadioGroup from "ant-design-vue/es/radio/Group";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";
import WallInput from "../parts/WallInput.vue";

import type { Broadcast } from "../api/school-file";
import { FRESH_HOURS } from "../api/school-file";
import DurationInput from "../parts/DurationInput.vue";
import HoursEdit from "../sequences/HoursEdit.vue";
import WaveMap from "./WaveMap.vue";

const body = defineModel<Broadcast>({ required: true });
const pace = defineModel<number | null>("pace", { required: true });
defineProps<{ id: string; stamp: string; place: string; news: boolean; readonly?: boolean }>();
const more = ref(false);
const set = (part: Partial<Broadcast>) => (body.value = { ...body.value, ...part });
const hours = computed(() =>
  body.value.posting_hours === "school" ? "school" : body.value.posting_hours === null ? "any" : "own",
);
function keep(which: string): void {
  set({
    posting_hours: which === "school" ? "school" : which === "any" ? null : { ...FRESH_HOURS },
  });
}
</script>

<template>
  <fieldset class="when" :disabled="readonly">
    <div class="line">
      <WallInput
        :model-value="body.at"
        day="Day"
        :disabled="readonly"
        @update:model-value="(at) => set({ at: `${at}:00` })"
      />
    </div>
    <RadioGroup
      :value="body.zone"
      :disabled="readonly"
      class="zone"
      :options="[
        { value: 'student', label: 'where each student lives' },
        { value: 'school', label: `school time (${place})` },
      ]"
      @change="(e) => set({ zone: e.target.value })"
    />
    <WaveMap v-if="body.zone === 'student'" :id="id" :stamp="stamp" :late="body.late" />
    <button type="button" class="link" :aria-expanded="more" @click="more = !more">
      {{ more ? "Less" : "Posting hours, pace, and students in the middle of something" }}
    </button>
    <div v-if="more" class="more">
      <label v-if="body.zone === 'student'" class="line"
        >Whose hour is past when it starts
        <Select
          v-named="'Whose hour is past'"
          :value="body.late"
          :disabled="readonly"
          :options="[
            { value: 'at_once', label: 'gets it at once' },
            { value: 'skip', label: 'does not get it' },
          ]"
          style="width: 150px"
          @change="(v) => set({ late: v as 'at_once' | 'skip' })"
      /></label>
      <label class="line"
        >Posting hours
        <Select
          v-named="'Posting hours'"
          :value="hours"
          :disabled="readonly"
          :options="[
            { value: 'school', label: 'those of the school' },
            { value: 'any', label: 'at any hour' },
            { value: 'own', label: 'of its own' },
          ]"
          style="width: 170px"
          @change="(v) => keep(String(v))"
      /></label>
      <HoursEdit
        v-if="body.posting_hours !== null && body.posting_hours !== 'school'"
        :model-value="body.posting_hours"
        @update:model-value="(now) => set({ posting_hours: now })"
      />
      <template v-if="news">
        <label class="line"
          >Who is in the middle of a sequence that holds broadcasts
          <Select
            v-named="'Students inside a sequence'"
            :value="body.inside"
            :disabled="readonly"
            :options="[
              { value: 'pass_by', label: 'does not get it' },
              { value: 'wait', label: 'gets it afterwards' },
            ]"
            style="width: 170px"
            @change="(v) => set(v === 'wait' ? { inside: 'wait' } : { inside: 'pass_by', within: null })"
        /></label>
        <label v-if="body.inside === 'wait'" class="line"
          >if that is within
          <DurationInput
            :model-value="body.within"
            label="Within"
            @update:model-value="(v) => set({ within: v ?? null })"
          />{{ " " }}<span class="label">(0: however long)</span></label
        >
      </template>
      <label class="line"
        >Letters a minute
        <InputNumber
          :value="pace ?? undefined"
          :disabled="readonly"
          :min="1"
          :max="100000"
          placeholder="as fast as it goes"
          aria-label="Letters a minute"
          style="width: 150px"
          @change="(n) => (pace = n === null || n === undefined ? null : Number(n))"
      /></label>
    </div>
  </fieldset>
</template>

<style scoped>
.when {
  border: 0;
  margin: 0;
  padding: 0;
  min-width: 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: stretch;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.zone {
  display: flex;
  flex-wrap: wrap;
  gap: 0 6px;
}
.more {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.link {
  align-self: flex-start;
  font-size: 13px;
}
</style>
