<script setup lang="ts">
import type { Api } from "../api/client";
import { percent, range, WHAT } from "../broadcasts/words";

/** What became of letters, a number each with the range its share lies in; every number opens its names. */
defineProps<{ figures: Api["Figure"][]; note?: string }>();
const emit = defineEmits<{ open: [what: string] }>();
</script>

<template>
  <div class="figures">
    <button
      v-for="one in figures"
      :key="one.what"
      class="figure sheet"
      :data-testid="one.what"
      @click="emit('open', one.what)"
    >
      <span class="label">{{ WHAT[one.what] }}</span><b class="postmark"
        >{{ one.number }} <small>{{ percent(one) }}</small></b
      ><span class="label"
        >{{ one.of ? `${range(one)}, of ${one.of}` : one.of === null ? (note ?? "") : "none yet"
        }}<template v-if="one.small && one.of"> (few)</template></span
      >
    </button>
  </div>
</template>

<style scoped>
.figures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(136px, 1fr));
  gap: 10px;
}
.figure {
  padding: 8px 12px;
  text-align: left;
  cursor: pointer;
  display: flex;
  flex-direction: column;
  color: var(--ink);
  font: inherit;
}
.figure:hover {
  border-color: var(--act);
}
.figure b {
  font-size: 24px;
  line-height: 1.3;
}
.figure small {
  font-size: 14px;
  font-weight: 400;
}
</style>
