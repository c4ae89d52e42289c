<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { computed, onBeforeUnmount, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useFrame } from "../frame/frame";
import { useAct } from "../parts/act";
import { counted } from "../parts/counted";
import DateInput from "../parts/DateInput.vue";
import { sendFile } from "../parts/files";
import { useNotice } from "../parts/notice";
import WhatFollows from "./WhatFollows.vue";

/** A table of events: read, tried by what has been pointed at, taken in as the past. */
const props = defineProps<{ connection: Api["ConnectionOut"]; changed: boolean }>();
const emit = defineEmits<{ read: [] }>();
const notice = useNotice();
const { data: frame } = useFrame();
const input = ref<HTMLInputElement>();
const file = ref<Api["EventFileOut"] | null>(null);
const work = ref<Api["EventWorkOut"] | null>(null);
const chosenDay = ref<string | null>(null);
const day = computed(() => chosenDay.value ?? frame.value?.clock.wall.slice(0, 10) ?? null);
let asking = 0;
onBeforeUnmount(() => window.clearTimeout(asking));

async function read(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0];
  if (!chosen) return;
  const query = new URLSearchParams({ connection: props.connection.key, name: chosen.name });
  try {
    file.value = await sendFile<Api["EventFileOut"]>(`/api/event-files?${query}`, chosen);
    work.value = null;
    emit("read");
  } catch (error) {
    notice.refused(error);
  } finally {
    if (input.value) input.value.value = "";
  }
}
async function follow(): Promise<void> {
  if (work.value?.state !== "working") return;
  const params = { params: { path: { id: work.value.id } } };
  asking = window.setTimeout(async () => {
    work.value = await data(api.GET("/api/event-files/progress/{id}", params));
    await follow();
  }, 400);
}
const asked = computed(() => ({ params: { path: { id: file.value?.id ?? 0 } }, body: { day: day.value } }));
const begun = (now: Api["EventWorkOut"]) => {
  work.value = now;
  void follow();
};
const tryIt = useAct(() => data(api.POST("/api/event-files/{id}/try", asked.value)), { done: begun, refreshes: [] });
const take = useAct(() => data(api.POST("/api/event-files/{id}/take", asked.value)), { done: begun });
const tried = computed(() => work.value?.tried ?? null);
</script>

<template>
  <section class="sheet table" aria-label="A file of events">
    <div class="row">
      <b>Or a file</b>
      <span class="soft">of what happened before, as CSV or a spreadsheet: each row is a message.</span>
      <Button size="small" @click="input?.click()">{{ file ? "Another file" : "Choose a file" }}</Button><input
        ref="input"
        type="file"
        accept=".csv,.txt,.tsv,.xlsx"
        aria-label="File of events"
        class="visually-hidden"
        @change="read"
      />
    </div>
    <template v-if="file">
      <div class="row">
        <span
          ><b>{{ file.name }}</b> · {{ counted(file.rows, "row") }} · <span class="soft">{{ file.how }}</span></span
        >
      </div>
      <p v-if="connection.missing.length || changed" class="soft">
        {{ changed ? "Save what you have pointed at, then try it." : connection.missing.join(" ") }}
      </p>
      <div v-else class="row">
        <span>What happened before</span>
        <DateInput :model-value="day" label="From which day on" @update:model-value="(now) => (chosenDay = now)" />
        <span>is past: no sequence starts for it.</span>
        <Button size="small" type="primary" :loading="tryIt.isPending.value" @click="tryIt.mutate()">Try it</Button>
      </div>
    </template>
    <p v-if="work?.state === 'working'" role="status">{{ work.done }} of {{ work.total }} …</p>
    <p v-if="work?.refused" class="wrong">{{ work.refused }}</p>
    <p v-if="work && work.taken !== null" role="status">
      <b>{{ counted(work.taken, "event") }} went in.</b
      ><template v-if="work.failed"> {{ work.failed }} could not be taken in.</template>
    </p>
    <template v-if="tried">
      <p data-testid="tried-rows">
        <b class="well">{{ counted(tried.events, "event") }}</b> would go in, {{ tried.known }} known already,
        <b :class="{ wait: tried.waits }">{{ counted(tried.waits, "row") }} left out</b>, {{ tried.not_for_us }} not for
        us.
        <Button
          size="small"
          :disabled="!tried.events"
          :loading="take.isPending.value"
          class="take"
          @click="take.mutate()"
          >Take {{ tried.events }} in</Button
        >
      </p>
      <template v-if="tried.follows">
        <p>{{ counted(tried.starting, "event") }} of that day or later:</p>
        <WhatFollows :follows="tried.follows" />
      </template>
      <details v-if="tried.waiting.length" open>
        <summary class="label">Left out; mend it and bring the file again, what is in is known</summary>
        <ul>
          <li v-for="one in tried.waiting" :key="`${one.row}${one.said}`" class="wait">
            Row {{ one.row }}: {{ one.said }}
          </li>
        </ul>
      </details>
      <details>
        <summary class="label">What would go in, the oldest first</summary>
        <ul>
          <li v-for="one in tried.examples" :key="`${one.row}${one.said}`">Row {{ one.row }}: {{ one.said }}</li>
        </ul>
      </details>
    </template>
  </section>
</template>

<style scoped>
.table {
  padding: 10px 14px;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
}
p {
  margin: 0;
}
ul {
  margin: 0;
  padding-left: 18px;
  max-height: 200px;
  overflow: auto;
}
summary {
  cursor: pointer;
}
.well {
  color: var(--well);
}
.wait {
  color: var(--warn);
}
.wrong {
  color: var(--red);
}
.take {
  margin-left: 8px;
}
</style>
