<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Segmented from "ant-design-vue/es/segmented";
import { computed, inject, ref } from "vue";
import { useRoute } from "vue-router";

import { api, type Api, data } from "../api/client";
import { type Letter, PURPOSES, type Step } from "../api/school-file";
import LetterPaper from "../parts/LetterPaper.vue";
import { lettersOf } from "../parts/posted";
import StudentPick from "../parts/StudentPick.vue";
import { shownAs } from "../parts/shown-as";
import VersionsPick from "../parts/VersionsPick.vue";
import { EDITING, type Editing } from "./editing";
import VersionsDesk from "./VersionsDesk.vue";

const step = defineModel<Step>({ required: true });
const editing = inject(EDITING) as Editing;
const back = computed(() => ({ back: `/sequences/${String(route.params.id ?? "")}?step=${step.value.id}` }));
defineProps<{ mark: Api["MarkOut"] | undefined }>();
const route = useRoute();
const width = ref<string | number>("Desk");

const { data: letters } = useQuery({ queryKey: ["letters"], queryFn: () => data(api.GET("/api/letters")) });
// Of several versions, the one that is looked at.
const place = ref<string | number>(1);
const comparing = ref(false);
const keys = computed(() => lettersOf(step.value));
const key = computed(() => keys.value[Number(place.value) - 1] ?? keys.value[0] ?? "");
const { data: letter } = useQuery({
  queryKey: ["letter", key],
  queryFn: () => data(api.GET("/api/letters/{key}", { params: { path: { key: key.value } } })),
  enabled: computed(() => key.value !== ""),
});
const body = computed(() => letter.value?.body as Letter | undefined);
const { data: view, error } = useQuery({
  queryKey: ["preview", body, shownAs],
  queryFn: () =>
    data(
      api.POST("/api/letters/preview", {
        body: { letter: body.value ?? {}, student: shownAs.value },
      }),
    ),
  enabled: computed(() => Boolean(body.value && shownAs.value)),
});
const options = computed(() => (letters.value ?? []).map((l) => ({ value: l.key, label: l.name })));
</script>

<template>
  <div class="panel">
    <div class="top">
      <div class="label">
        Letter<template v-if="mark"> · {{ mark.label }} {{ mark.detail }}</template>
      </div>
      <VersionsPick
        :posts="step"
        :options="options"
        class="which"
        @change="(posts) => (step = { ...step, ...posts })"
      />
      <div v-if="keys.length > 1" class="acts">
        <Segmented
          v-model:value="place"
          :options="keys.map((_, at) => ({ value: at + 1, label: `Letter ${at + 1}` }))"
          size="small"
        />
        <button class="link" @click="comparing = true">Which does better?</button>
      </div>
      <VersionsDesk v-if="comparing" :id="String(route.params.id)" :step="step.id" @close="comparing = false" />
    </div>
    <template v-if="body">
      <dl>
        <dt class="label">Subject</dt>
        <dd>{{ view?.subject ?? body.subject }}</dd>
        <dt class="label">Purpose</dt>
        <dd>{{ PURPOSES[body.purpose] }}</dd>
      </dl>
      <div class="acts">
        <RouterLink :to="{ path: `/letters/${body.key}`, query: back }"><Button>Edit this letter</Button></RouterLink
        >{{ " "
        }}<RouterLink
          :to="{
            path: `/letters/${body.key}/figures`,
            query: { sequence: String(route.params.id ?? ''), step: step.id },
          }"
          >What became of it here</RouterLink
        >
      </div>
      <div class="seen">
        <span class="label">Seen as</span
        ><StudentPick v-model="shownAs" label="See the letter as this student" /><Segmented
          v-model:value="width"
          :options="['Desk', 'Phone']"
          size="small"
        />
      </div>
      <p v-if="error" class="blank" role="alert">{{ error.message }}</p>
      <p v-if="view?.blank" class="blank">▲ {{ view.blank }} The letter would wait for you.</p>
      <p v-else-if="view" class="well">✓ Every merge field has a value or a fallback for this student</p>
      <LetterPaper
        v-if="view"
        :html="view.html"
        :narrow="width === 'Phone'"
        title="The letter as this student sees it"
      />
    </template>
    <template v-else>
      <p class="soft">Choose the letter that goes out here, or write a new one: it is chosen when you come back.</p>
      <div><Button type="primary" @click="editing.writeLetter">Write a new letter</Button></div>
    </template>
  </div>
</template>

<style scoped>
.panel {
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.which {
  margin: 4px 0;
}
.which :deep(.ant-select-selection-item) {
  font: 600 15px/32px var(--title);
}
dl {
  display: grid;
  grid-template-columns: 64px minmax(0, 1fr);
  gap: 4px 8px;
  margin: 0;
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: center;
}
.seen {
  display: flex;
  align-items: center;
  gap: 8px;
  flex-wrap: wrap;
}
p {
  margin: 0;
}
.blank {
  color: var(--warn);
}
.well {
  color: var(--well);
  font-size: 13px;
}
</style>
