<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { onBeforeUnmount, ref, watch } from "vue";

import type { Api } from "../api/client";

/** What is planned, in one line; after “post now” the seconds in which it can be taken back. */
const props = defineProps<{ found: Api["BroadcastOut"] }>();
const emit = defineEmits<{ back: [] }>();
const left = ref(0);
watch(
  () => props.found.take_back_seconds,
  (now) => (left.value = now ?? 0),
  { immediate: true },
);
const timer = window.setInterval(() => (left.value = Math.max(0, left.value - 1)), 1000);
onBeforeUnmount(() => window.clearInterval(timer));
</script>

<template>
  <div class="planned" role="status">
    <template v-if="found.take_back_seconds !== null"
      ><b
        >It goes out in <span class="postmark">{{ left }}</span> seconds.</b
      >{{ " " }}<Button size="small" danger @click="emit('back')">Take it back</Button></template
    >
    <span v-else
      ><b>Planned for {{ found.when }}.</b>{{ " "
      }}<template v-if="found.first && found.body.zone === 'student'"
        >The first letter goes out {{ found.first }}, school time; until then everything can be changed, and the guards
        are asked for each letter.</template
      ><template v-else>Who is on the list is settled then; the guards are asked for each letter.</template></span
    >
  </div>
</template>

<style scoped>
.planned {
  background: var(--act-bg);
  padding: 8px 22px;
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
  border-bottom: 1px solid var(--rule);
}
</style>
