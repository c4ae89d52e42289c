<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { computed, onBeforeUnmount, ref, watch } from "vue";

import type { Api } from "../api/client";

/** What was just done, and the minute in which it can be taken back: by the other side's clock where somebody is taken in. */
const props = defineProps<{ done: string; work: Api["BulkOut"] | null }>();
const emit = defineEmits<{ back: []; over: [] }>();
const MINUTE = 60;
const left = ref(MINUTE);
watch(
  () => props.done,
  () => (left.value = MINUTE),
);
const timer = window.setInterval(() => {
  left.value = Math.max(0, left.value - 1);
  if (!left.value && !props.work) emit("over");
}, 1000);
onBeforeUnmount(() => window.clearInterval(timer));
const waits = computed(() => props.work?.waits ?? 0);
</script>

<template>
  <div class="minute" role="status">
    <template v-if="!work"
      ><b>{{ done }}</b></template
    >
    <template v-else-if="waits"
      ><b>{{ done }}</b> {{ work.total }} follow in <span class="postmark">{{ waits }}</span> seconds.</template
    >
    <template v-else-if="work.state === 'working'">{{ done }} {{ work.done }} of {{ work.total }} …</template>
    <template v-else-if="work.state === 'done'"
      >{{ done }} <b>{{ work.changed }} of {{ work.total }}</b> are there now.</template
    >
    <template v-else>{{ work.refused || "Taken back." }}</template>
    <Button v-if="work ? work.state === 'working' : left" size="small" danger @click="emit('back')">
      Take it back<template v-if="!work"> ({{ left }} s)</template>
    </Button>
    <button v-else class="link" @click="emit('over')">Well and good</button>
  </div>
</template>

<style scoped>
.minute {
  background: var(--act-bg);
  padding: 7px 22px;
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
  border-bottom: 1px solid var(--rule);
}
</style>
