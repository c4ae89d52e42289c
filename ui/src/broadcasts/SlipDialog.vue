<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Modal from "ant-design-vue/es/modal";
import Spin from "ant-design-vue/es/spin";
import { computed, ref } from "vue";

import type { Api } from "../api/client";
import { looking } from "./look";

/** The slip: everything that is about to happen, said once, before it does. */
const props = defineProps<{
  look: Api["OutlookOut"] | undefined;
  findings: Api["FindingOut"][];
  tested: string | null;
  late: boolean;
  busy: boolean;
  subject: string;
  reader: string;
}>();
const emit = defineEmits<{ close: []; plan: []; now: []; test: [] }>();
const atOnce = ref(props.late);
const result = computed(() => props.look?.result ?? null);
const slip = computed(() => (atOnce.value ? result.value?.slip_now : result.value?.slip));
const fault = computed(() => props.findings.find((one) => one.level === "fault"));
const warnings = computed(() => props.findings.filter((one) => one.level === "warning"));
const nobody = computed(() => result.value?.will === 0);
</script>

<template>
  <Modal open title="Before it goes out" :footer="null" width="560px" @cancel="emit('close')">
    <div v-if="slip && result" class="slip" data-testid="slip">
      <span class="airmail" />
      <p class="post">{{ slip.post }}</p>
      <p>{{ slip.when }}</p>
      <p v-if="slip.without.length">Not to: {{ slip.without.join(" ") }}</p>
      <p v-if="slip.later.length">{{ slip.later.join(" ") }}</p>
      <p v-if="subject" class="soft">
        Subject: “{{ subject }}”, as <bdi>{{ reader }}</bdi> reads it
      </p>
      <p v-if="result.crowded.most > 1" class="soft">
        In the week around it these students will have had {{ result.crowded.usual }}
        {{ result.crowded.usual === 1 ? "letter" : "letters" }} each, at most {{ result.crowded.most }}.
      </p>
    </div>
    <p v-else-if="look?.state === 'failed'" class="blank">▲ The look ahead failed. Close this and try again.</p>
    <div v-else class="soft"><Spin size="small" /> {{ looking(look) }}</div>
    <p v-if="fault" class="blank" role="alert">▲ {{ fault.sentence }}</p>
    <p v-for="one in warnings" :key="one.sentence" class="blank">▲ {{ one.sentence }}</p>
    <p v-if="!tested" class="ask">
      You have not seen this letter in your own inbox since it was last changed.
      <Button size="small" @click="emit('test')">Send me a test first</Button>
    </p>
    <p v-else class="well">✓ Test seen in your inbox, {{ tested }}</p>
    <p v-if="late && !atOnce" class="blank">▲ That moment has passed. Choose a later one, or post it now.</p>
    <div class="acts">
      <label class="now"><input v-model="atOnce" type="checkbox" /> post it now instead</label>
      <Button @click="emit('close')">Not yet</Button>
      <Button
        v-if="atOnce"
        type="primary"
        :loading="busy"
        :disabled="!slip || Boolean(fault) || nobody"
        @click="emit('now')"
        >Post now to {{ result?.will ?? "…" }}</Button
      >
      <Button
        v-else
        type="primary"
        :loading="busy"
        :disabled="!slip || Boolean(fault) || nobody || late"
        @click="emit('plan')"
        >Post to {{ result?.will ?? "…" }} then</Button
      >
    </div>
  </Modal>
</template>

<style scoped>
.slip {
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 0 18px 12px;
  background: var(--sheet);
  overflow: hidden;
}
.slip .airmail {
  display: block;
  margin: 0 -18px 12px;
}
.slip p {
  margin: 0 0 8px;
}
.post {
  font: 600 17px/1.4 var(--title);
}
.blank {
  color: var(--warn);
  margin: 8px 0 0;
}
.well {
  color: var(--well);
  margin: 10px 0 0;
}
.ask {
  background: var(--warn-bg);
  color: var(--warn);
  padding: 8px 12px;
  border-radius: 6px;
  margin: 10px 0 0;
}
.acts {
  display: flex;
  gap: 10px;
  align-items: center;
  justify-content: flex-end;
  margin-top: 16px;
  flex-wrap: wrap;
}
.now {
  margin-right: auto;
  display: flex;
  gap: 6px;
  align-items: center;
}
</style>
