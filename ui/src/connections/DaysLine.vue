<script setup lang="ts">
import { computed } from "vue";

/** What came on each of the last days, as small bars; the day in hand is the last. */
const props = defineProps<{ counts: number[] }>();
const most = computed(() => Math.max(1, ...props.counts));
const said = computed(() => `${props.counts.reduce((a, b) => a + b, 0)} messages in ${props.counts.length} days`);
</script>

<template>
  <svg :viewBox="`0 0 ${counts.length * 5} 24`" role="img" :aria-label="said" class="days">
    <rect
      v-for="(count, index) in counts"
      :key="index"
      :x="index * 5"
      :width="4"
      :y="count ? 23 - Math.max(2, (22 * count) / most) : 22"
      :height="count ? Math.max(2, (22 * count) / most) : 1"
      :class="{ none: !count }"
    />
  </svg>
</template>

<style scoped>
.days {
  width: 150px;
  height: 24px;
  display: block;
}
rect {
  fill: #38699c;
}
.none {
  fill: var(--rule);
}
</style>
