<script setup lang="ts">
import type { Api } from "../api/client";
import { findingMark } from "./finding-mark";

/** What is to be said of one place, each with its mend where there is one and something can be changed. */
defineProps<{ found: Api["FindingOut"][]; readonly?: boolean; aloud?: boolean }>();
const emit = defineEmits<{ mend: [one: Api["FindingOut"]] }>();
</script>

<template>
  <p
    v-for="one in found"
    :key="one.code + one.sentence"
    class="finding"
    :class="one.level"
    :role="aloud && one.level === 'fault' ? 'alert' : undefined"
  >
    {{ findingMark(one.level) }} {{ one.sentence }}
    <button v-if="one.mend && !readonly" class="link" @click="emit('mend', one)">
      {{ one.mend.label }}
    </button>
  </p>
</template>

<style scoped>
.finding {
  margin: 4px 0 0;
  font-size: 13px;
  color: var(--warn);
}
.finding.fault {
  color: var(--red);
}
</style>
