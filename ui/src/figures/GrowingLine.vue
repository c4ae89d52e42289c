<script setup lang="ts">
import { computed } from "vue";

import { axis, percent, reach } from "./scale";
import { useWide } from "./wide";

/** A difference as it came: a line with its range as a band, by the day; the numbers stand beneath as a table. */
interface At {
  day: number;
  students: number;
  value: number;
  low: number;
  high: number;
}
const props = defineProps<{ looks: At[]; caption: string; across: string }>();
const [HIGH, LEFT, BELOW, TOP] = [220, 52, 40, 8];
const wide = useWide();
const last = computed(() => Math.max(1, ...props.looks.map((one) => one.day)));
const far = computed(() => reach(props.looks.flatMap((one) => [one.low, one.high])));
const x = (day: number) => LEFT + ((wide.value - LEFT - 6) * day) / last.value;
const y = (value: number) => TOP + ((HIGH - BELOW - TOP) * (far.value - value)) / (2 * far.value);
const path = (found: [number, number][]) =>
  found.map(([day, value], at) => `${at ? "L" : "M"}${x(day).toFixed(1)} ${y(value).toFixed(1)}`).join("");
const line = computed(() => path(props.looks.map((one) => [one.day, one.value])));
const band = computed(
  () =>
    `${path([
      ...props.looks.map((one): [number, number] => [one.day, one.high]),
      ...props.looks.map((one): [number, number] => [one.day, one.low]).reverse(),
    ])}Z`,
);
const marks = computed(() => [far.value, 0, -far.value]);
const points = (value: number) => `${value > 0 ? "+" : value < 0 ? "−" : ""}${Math.round(100 * Math.abs(value))}`;
const tabled = computed(() =>
  props.looks.filter((_, at) => at % 6 === props.looks.length % 6 || at === props.looks.length - 1),
);
</script>

<template>
  <figure>
    <svg
      ref="drawn"
      :viewBox="`0 0 ${wide} ${HIGH}`"
      role="img"
      :aria-label="`${caption}. The numbers follow as a table.`"
    >
      <g v-for="mark in marks" :key="mark">
        <line :x1="LEFT" :x2="wide - 6" :y1="y(mark)" :y2="y(mark)" class="grid" :class="{ nought: mark === 0 }" />
        <text :x="LEFT - 6" :y="y(mark) + 4" text-anchor="end">{{ points(mark) }}</text>
      </g>
      <text v-for="day in axis(last)" :key="day" :x="x(day)" :y="HIGH - 22" text-anchor="middle">{{ day }}</text>
      <text :x="wide - 6" :y="HIGH - 5" text-anchor="end" class="across">{{ across }}</text>
      <path :d="band" fill="var(--act)" opacity="0.13" />
      <path :d="line" fill="none" stroke="var(--act)" stroke-width="2.4" />
    </svg>
    <details>
      <summary>The numbers</summary>
      <table class="plain">
        <caption class="label">
          {{
            caption
          }}
        </caption>
        <thead>
          <tr>
            <th>Day</th>
            <th>Students whose time was over</th>
            <th>Difference</th>
            <th>Between</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in tabled" :key="one.students">
            <td class="postmark">{{ Math.round(one.day) }}</td>
            <td class="postmark">{{ one.students }}</td>
            <td class="postmark">{{ percent(one.value) }}</td>
            <td>{{ percent(one.low) }} and {{ percent(one.high) }}</td>
          </tr>
        </tbody>
      </table>
    </details>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
svg {
  display: block;
  width: 100%;
  height: 220px;
}
text {
  font: 12px var(--mark);
  fill: var(--soft);
}
.across {
  font-family: var(--text);
}
.grid {
  stroke: var(--rule2);
}
.grid.nought {
  stroke: var(--soft);
}
summary {
  cursor: pointer;
  color: var(--act);
}
</style>
