<script setup lang="ts">
import type { Api } from "../api/client";
import { findingMark } from "../parts/finding-mark";

/** What is to be said of a sequence as a whole: a draft from earlier, rehearsals that come out differently, findings. */
defineProps<{
  id: string;
  restored: boolean;
  different: Api["KeptOut"][];
  findings: Api["FindingOut"][];
}>();
const emit = defineEmits<{ discard: []; mend: [finding: Api["FindingOut"]] }>();
// What every new sequence still lacks is no alarm.
const MISSING = ["no_start", "no_steps"];
</script>

<template>
  <div v-if="restored" class="note" role="status">
    Unsaved changes from earlier are shown.
    <button class="link" @click="emit('discard')">Show what is saved instead</button>
  </div>
  <div v-if="different.length" class="note" role="status">
    ▲ {{ different.map((one) => `“${one.name}”`).join(", ") }} came out differently at the last save.
    <RouterLink :to="`/sequences/${id}/rehearsal`">See what changed</RouterLink>
  </div>
  <div
    v-for="(finding, index) in findings"
    :key="index"
    class="note"
    :class="MISSING.includes(finding.code) ? 'hint' : finding.level"
    :role="finding.level === 'fault' ? 'alert' : 'status'"
  >
    {{ MISSING.includes(finding.code) ? "○" : findingMark(finding.level) }} {{ finding.sentence }}
    <button v-if="finding.mend" class="link" @click="emit('mend', finding)">{{ finding.mend.label }}</button>
  </div>
</template>

<style scoped>
.note {
  background: var(--warn-bg);
  color: var(--warn);
  padding: 7px 22px;
  border-bottom: 1px solid #ecd39a;
}
.note.hint {
  background: var(--act-bg);
  color: var(--act);
  border-color: #c5d8ec;
}
.note.fault {
  background: #fbe9e7;
  color: var(--red);
}
</style>
