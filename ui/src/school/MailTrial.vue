<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import MailDialog from "../parts/MailDialog.vue";
import type { Server } from "./mail";
import { writtenServer } from "./mail";

/** A test letter by a server as it is written, saved or not; what the server said, and what to do about it. */
const props = defineProps<{ server: Server | null; second?: boolean; sender?: string; to: string }>();
const to = ref(props.to);
const outcome = ref<Api["TrialOut"] | null>(null);
const mail = ref<number | null>(null);
const send = useAct(
  () =>
    data(
      api.POST("/api/school/mail/test", {
        body: {
          to: to.value,
          sender: props.sender ?? null,
          server: props.server ? writtenServer(props.server) : null,
          second: props.second ?? false,
        },
      }),
    ),
  { done: (out) => (outcome.value = out), refreshes: [] },
);
</script>

<template>
  <div class="trial">
    <form class="line" @submit.prevent="send.mutate()">
      <label>Send a test letter to<Input v-model:value="to" type="email" :maxlength="320" /></label>
      <Button html-type="submit" :disabled="!to.trim()" :loading="send.isPending.value">Send the test</Button>
    </form>
    <div v-if="outcome" role="status" class="outcome" :class="{ good: outcome.taken }">
      <p>
        <b>{{ outcome.taken ? "Taken." : "Not taken." }}</b> {{ outcome.said }}
        <button v-if="outcome.mail" type="button" class="link" @click="mail = outcome.mail">Read it</button>
      </p>
      <p v-if="outcome.why">{{ outcome.why }}</p>
      <p v-if="outcome.do"><b>What to do:</b> {{ outcome.do }}</p>
      <details>
        <summary>What the server said, word by word</summary>
        <p v-if="!outcome.lines.length" class="soft">Nothing: it was not reached.</p>
        <ol v-else>
          <li v-for="(line, at) in outcome.lines" :key="at" :class="line.who">
            <span class="label">{{ line.who === "we" ? "we" : "it" }}</span> <code>{{ line.words }}</code>
          </li>
        </ol>
      </details>
    </div>
    <MailDialog v-if="mail !== null" :mail="mail" title="The test letter" @close="mail = null" />
  </div>
</template>

<style scoped>
.trial {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.line {
  display: flex;
  gap: 10px;
  align-items: flex-end;
  flex-wrap: wrap;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
  flex: 1 1 220px;
}
.outcome {
  background: var(--warn-bg);
  border-left: 3px solid var(--warn-mark);
  padding: 10px 14px;
  overflow-wrap: anywhere;
}
.outcome.good {
  background: var(--well-bg);
  border-left-color: var(--well);
}
p {
  margin: 0 0 6px;
}
ol {
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  max-height: 260px;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr);
}
code {
  font-family: var(--mark);
  font-size: 13px;
}
.server code {
  font-weight: 700;
}
</style>
