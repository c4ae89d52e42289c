<script setup lang="ts">
import { computed } from "vue";

import { place, reach } from "./scale";

/** A difference with one or two ranges, on a line with nought in the middle. */
const props = defineProps<{
  ranges: { label: string; words: string; value: number; low: number; high: number; strong?: boolean }[];
  worse: string;
  better: string;
}>();
const far = computed(() => reach(props.ranges.flatMap((one) => [one.low, one.high])));
const at = (value: number) => place(value, -far.value, far.value);
const end = computed(() => Math.round(100 * far.value));
</script>

<template>
  <div class="difference">
    <div v-for="one in ranges" :key="one.label" class="row">
      <span class="said"
        ><b v-if="one.strong">{{ one.label }}</b
        ><template v-else>{{ one.label }}</template
        ><br /><span class="label">{{ one.words }}</span></span
      >
      <span class="line" aria-hidden="true">
        <i class="nought" />
        <i
          class="range"
          :class="{ strong: one.strong }"
          :style="{ left: `${at(one.low)}%`, right: `${100 - at(one.high)}%` }"
        />
        <i class="value" :style="{ left: `${at(one.value)}%` }" />
      </span>
    </div>
    <div class="row axis label" aria-hidden="true">
      <span />
      <span class="ends"
        ><span>{{ end }} points {{ worse }}</span
        ><span>0</span><span>{{ end }} points {{ better }}</span></span
      >
    </div>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 236px minmax(0, 1fr);
  gap: 14px;
  align-items: center;
  padding: 5px 0;
}
.line {
  position: relative;
  display: block;
  height: 26px;
  background: var(--sheet2);
  border: 1px solid var(--rule2);
}
.line i {
  position: absolute;
  display: block;
}
.nought {
  left: 50%;
  top: -4px;
  bottom: -4px;
  border-left: 2px solid var(--ink);
}
.range {
  top: 9px;
  height: 7px;
  background: var(--soft);
}
.range.strong {
  top: 6px;
  height: 13px;
  background: var(--act);
}
.value {
  top: 3px;
  height: 19px;
  border-left: 3px solid var(--red);
}
.ends {
  display: flex;
  justify-content: space-between;
}
.axis {
  padding-top: 0;
}
@media (max-width: 720px) {
  .row {
    grid-template-columns: minmax(0, 1fr);
    gap: 2px;
  }
}
@media print {
  .line,
  .line i {
    print-color-adjust: exact;
  }
}
</style>
