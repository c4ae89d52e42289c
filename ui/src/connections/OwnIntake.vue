<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { ref } from "vue";

import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import { counted } from "../parts/counted";
import { useNotice } from "../parts/notice";
import DaysLine from "./DaysLine.vue";

/** Our own intake, for sites that report events in our form: what came lately, what could not be used, its key. */
const notice = useNotice();
const { data: own } = useQuery({ queryKey: ["own-intake"], queryFn: () => data(api.GET("/api/own-intake")) });
const key = ref("");
const replace = useAct(() => data(api.POST("/api/own-intake/key")), {
  done: (now) => (key.value = now.secret),
});
async function ask(): Promise<void> {
  if (
    await notice.ask(
      "A new key?",
      "The one there is holds for another day, so that you can put the new one into your course site meanwhile.",
      "Make a new key",
      "Keep it",
    )
  )
    replace.mutate();
}
</script>

<template>
  <section v-if="own" class="sheet own">
    <header>
      <h2>Events in our own form</h2>
      <DaysLine :counts="own.line" />
    </header>
    <p class="soft">
      For programs that are written for Patient Courier: they report events to
      <code class="postmark">{{ own.address }}</code>, signed after Standard Webhooks.
    </p>
    <p>
      In 30 days {{ counted(own.events, "event") }}, {{ own.repeats }} known already,
      <span :class="{ wrong: own.unusable }">{{ own.unusable }} that could not be used</span>.
    </p>
    <div class="row">
      <template v-if="key">
        <span class="soft">Put this key in there now; it is not shown again:</span>
        <code class="postmark" data-testid="own-key">{{ key }}</code>
      </template>
      <template v-else>
        <span class="soft">{{
          own.replaced ? "The key was replaced; the one before still holds." : "Its key is not shown."
        }}</span>
        <Button size="small" :loading="replace.isPending.value" @click="ask">Make a new key</Button>
      </template>
    </div>
    <ul v-if="own.problems.length" class="wrong">
      <li v-for="(one, index) in own.problems" :key="index">
        <span class="postmark">{{ one.at }}</span> {{ one.reason }}
      </li>
    </ul>
    <details v-if="own.lately.length">
      <summary class="label">What came last</summary>
      <ul>
        <li v-for="(one, index) in own.lately" :key="index">
          <span class="postmark">{{ one.at }}</span>
          <RouterLink :to="`/students/${one.student}`">{{ one.name }}</RouterLink> {{ one.words }}
        </li>
      </ul>
    </details>
  </section>
</template>

<style scoped>
.own {
  padding: 12px 14px 14px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
header,
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: center;
}
header {
  justify-content: space-between;
}
p {
  margin: 0;
}
code {
  background: var(--sheet2);
  border: 1px solid var(--rule2);
  border-radius: 4px;
  padding: 1px 6px;
  overflow-wrap: anywhere;
}
ul {
  margin: 0;
  padding-left: 18px;
}
li {
  padding: 2px 0;
}
.wrong {
  color: var(--warn);
}
summary {
  cursor: pointer;
}
</style>
