<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import LetterPaper from "../parts/LetterPaper.vue";

/** Why the chosen letter goes out or not, and why others did not. */
const props = defineProps<{
  played: Api["Rehearsed"] | undefined;
  letter: Api["LetterShown"] | undefined;
  others: Api["LetterShown"][];
  scene: Api["Scene"];
}>();
const emit = defineEmits<{ choose: [index: number] }>();
const reading = ref(false);
watch(
  () => props.letter?.index,
  () => (reading.value = false),
);
const { data: seen } = useQuery({
  queryKey: ["rehearsed-letter", computed(() => props.letter?.index), computed(() => props.scene)],
  queryFn: () =>
    data(
      api.POST("/api/rehearsals/letters/{index}", {
        params: { path: { index: props.letter?.index ?? 0 } },
        body: props.scene,
      }),
    ),
  enabled: computed(() => reading.value && props.letter !== undefined),
});
</script>

<template>
  <aside class="why" aria-label="Why">
    <template v-if="letter">
      <div class="label">
        {{ letter.local
        }}<template v-if="played?.zone"> in {{ played.zone.split("/").at(-1)?.replaceAll("_", " ") }}</template
        ><template v-if="letter.school_time !== letter.local"> · {{ letter.school_time }} at the school</template>
      </div>
      <h2>{{ letter.name }}</h2>
      <div class="soft">“{{ letter.subject }}” · {{ letter.sequence_name }}</div>
      <h3>{{ letter.status === "sent" ? "Why it goes out" : "Why it does not go out" }}</h3>
      <ol data-testid="why">
        <li v-for="(line, index) in letter.story" :key="index">{{ line }}</li>
      </ol>
      <Button size="small" @click="reading = !reading">{{
        reading ? "Close the letter" : "Read it as this student"
      }}</Button>
      <LetterPaper v-if="reading && seen" :html="seen.html" title="The letter as this student would see it" />
    </template>
    <p v-else-if="played" class="soft">No letter goes out. Add a move that starts the sequence, such as a purchase.</p>
    <template v-if="others.length">
      <h3>Why others did not</h3>
      <ul>
        <li v-for="one in others" :key="one.index">
          <button class="link" @click="emit('choose', one.index)">{{ one.name }}</button>: {{ one.reason }}
        </li>
      </ul>
    </template>
    <template v-if="played?.runs.length">
      <h3>Sequences that took part</h3>
      <ul>
        <li v-for="(run, index) in played.runs" :key="index">
          {{ run.name }}:
          {{
            run.words ??
            { finished: "finished", left: "left early", stopped: "stopped", stuck: "stuck", open: "still inside" }[
              run.outcome
            ] ??
            run.outcome
          }}
        </li>
      </ul>
    </template>
    <template v-if="played?.not_begun.length">
      <h3>Sequences that did not begin</h3>
      <ul>
        <li v-for="(one, index) in played.not_begun" :key="index">
          <RouterLink :to="`/sequences/${one.sequence}`">{{ one.name }}</RouterLink>: {{ one.sentence }}
        </li>
      </ul>
    </template>
    <p v-for="warning in played?.warnings" :key="warning" class="warn">▲ {{ warning }}</p>
  </aside>
</template>

<style scoped>
.why {
  background: var(--sheet);
  border-left: 1px solid var(--rule);
  padding: 14px 18px 24px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.why h3 {
  margin-top: 8px;
  color: var(--soft);
}
ol,
ul {
  margin: 0;
  padding-left: 20px;
}
li {
  padding: 2px 0;
}
.warn {
  color: var(--warn);
}
.why > .ant-btn {
  align-self: flex-start;
}
</style>
