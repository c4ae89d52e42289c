<script setup lang="ts">
import type { Api } from "../api/client";

/** What is to be said of a letter at one place, each with its mend where there is one. */
defineProps<{ found: Api["FindingOut"][] }>();
const emit = defineEmits<{ mend: [one: Api["FindingOut"]] }>();
</script>

<template>
  <p v-for="one in found" :key="one.code + one.sentence" class="finding" :class="one.level">
    {{ one.level === "fault" ? "✗" : "▲" }} {{ one.sentence }}
    <button v-if="one.mend" class="link" @click="emit('mend', one)">{{ one.mend.label }}</button>
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
