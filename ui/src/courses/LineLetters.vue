<script setup lang="ts">
import { computed, ref } from "vue";

import type { Api } from "../api/client";

/** The letters hung at one stop; more than two of one sequence are drawn together until they are asked for. */
const props = defineProps<{ letters: Api["LineLetter"][] }>();
const open = ref(false);
const shown = computed(() => (open.value || props.letters.length <= 3 ? props.letters : props.letters.slice(0, 2)));
</script>

<template>
  <RouterLink
    v-for="letter in shown"
    :key="letter.sequence + letter.step"
    :to="`/sequences/${letter.sequence}?step=${letter.step}`"
    class="letter"
    :class="letter.status"
  >
    <b>{{ letter.name }}</b>
    <span class="facts"
      >{{ letter.when }}<template v-if="letter.status !== 'running'"> · {{ letter.status }}</template
      ><template v-if="letter.sent"> · {{ letter.sent }} sent</template
      ><template v-if="letter.waiting"> · {{ letter.waiting }} waiting</template></span
    >
  </RouterLink>
  <button v-if="shown.length < letters.length" class="link more" @click="open = true">
    and {{ letters.length - shown.length }} more letters
  </button>
</template>

<style scoped>
.letter {
  display: block;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 4px 10px;
  margin-bottom: 4px;
  color: var(--ink);
  text-decoration: none;
  font-size: 12.5px;
  line-height: 1.4;
  overflow: hidden;
}
.letter:hover {
  border-color: var(--act);
}
.letter b {
  display: block;
  font: 600 13.5px/1.3 var(--title);
  overflow-wrap: anywhere;
}
.facts {
  color: var(--soft);
}
.draft,
.paused {
  border-style: dashed;
}
.more {
  font-size: 12.5px;
}
</style>
