<script setup lang="ts">
import { computed } from "vue";

import type { Api } from "../api/client";
import { axis, percent } from "./scale";
import { useWide } from "./wide";

/** Shares that grow by the day, as steps with a band each; the numbers stand beneath as a table. */
const props = defineProps<{ curves: Api["CurveOut"][]; caption: string; across: string }>();
const [HIGH, LEFT, BELOW, TOP] = [300, 44, 40, 8];
const wide = useWide();
const COLOURS = ["var(--act)", "var(--soft)", "var(--well)", "var(--warn)", "var(--red)", "var(--ink)"];
const DASHES = ["", "7 4", "2 3", "12 4 2 4", "1 5", "9 9"];
const last = computed(() => Math.max(1, ...props.curves.flatMap((one) => one.points.map((point) => point.day))));
const days = computed(() => axis(last.value));
const x = (day: number) => LEFT + ((wide.value - LEFT - 6) * day) / last.value;
const y = (share: number) => TOP + (HIGH - BELOW - TOP) * (1 - share);
type Point = Api["Point"];
/** Corners of a line that stays as it is until the next point and then goes up. */
const corners = (points: Point[], of: (point: Point) => number) =>
  points.flatMap((point, at) => {
    const before = points[at - 1];
    return before
      ? [
          [x(point.day), y(of(before))],
          [x(point.day), y(of(point))],
        ]
      : [[x(point.day), y(of(point))]];
  });
const path = (found: number[][]) =>
  found.map(([a, b], at) => `${at ? "L" : "M"}${a?.toFixed(1)} ${b?.toFixed(1)}`).join("");
const line = (one: Api["CurveOut"]) => path(corners(one.points, (point) => point.share));
const band = (one: Api["CurveOut"]) =>
  `${path([...corners(one.points, (point) => point.high), ...corners(one.points, (point) => point.low).reverse()])}Z`;
const FEW = 30;
const tabled = (one: Api["CurveOut"]) =>
  days.value
    .map((day) => ({ day, point: one.points.filter((point) => point.day <= day).at(-1) }))
    .filter((row) => row.point && row.day <= (one.points.at(-1)?.day ?? 0));
</script>

<template>
  <figure class="curves">
    <figcaption class="legend">
      <span v-for="(one, at) in curves" :key="one.label" class="group">
        <svg width="34" height="10" aria-hidden="true">
          <line x1="0" y1="5" x2="34" y2="5" :stroke="COLOURS[at]" stroke-width="3" :stroke-dasharray="DASHES[at]" />
        </svg>
        {{ one.label }} <span class="label">n = {{ one.students }}{{ one.students < FEW ? ", few" : "" }}</span>
      </span>
    </figcaption>
    <svg
      ref="drawn"
      :viewBox="`0 0 ${wide} ${HIGH}`"
      role="img"
      :aria-label="`${caption}. The numbers follow as a table.`"
    >
      <g v-for="share in [0, 0.25, 0.5, 0.75, 1]" :key="share">
        <line :x1="LEFT" :x2="wide - 6" :y1="y(share)" :y2="y(share)" class="grid" :class="{ half: share === 0.5 }" />
        <text :x="LEFT - 6" :y="y(share) + 4" text-anchor="end">{{ percent(share) }}</text>
      </g>
      <text v-for="day in days" :key="day" :x="x(day)" :y="HIGH - 22" text-anchor="middle">{{ day }}</text>
      <text :x="wide - 6" :y="HIGH - 5" text-anchor="end" class="across">{{ across }}</text>
      <path v-for="(one, at) in curves" :key="`band ${one.label}`" :d="band(one)" :fill="COLOURS[at]" opacity="0.13" />
      <path
        v-for="(one, at) in curves"
        :key="one.label"
        :d="line(one)"
        :stroke="COLOURS[at]"
        :stroke-dasharray="DASHES[at]"
        fill="none"
        stroke-width="2.4"
      />
    </svg>
    <details>
      <summary>The numbers</summary>
      <div class="scroll">
        <table v-for="one in curves" :key="one.label" class="plain">
          <caption class="label">
            {{
              one.label
            }}:
            {{
              caption
            }}
          </caption>
          <thead>
            <tr>
              <th>Days</th>
              <th>Finished</th>
              <th>Between</th>
              <th>Watched that long</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in tabled(one)" :key="row.day">
              <td class="postmark">{{ row.day }}</td>
              <td class="postmark">{{ percent(row.point?.share ?? 0) }}</td>
              <td>{{ percent(row.point?.low ?? 0) }} and {{ percent(row.point?.high ?? 0) }}</td>
              <td class="postmark">{{ row.point?.watched }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </details>
  </figure>
</template>

<style scoped>
.curves {
  margin: 0;
}
.legend {
  display: flex;
  gap: 6px 20px;
  flex-wrap: wrap;
  padding-bottom: 6px;
}
.group {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
svg {
  width: 100%;
  height: auto;
}
.group svg {
  width: 34px;
}
.grid {
  stroke: var(--rule2);
}
.grid.half {
  stroke: var(--rule);
  stroke-dasharray: 4 4;
}
text {
  font: 12px var(--mark);
  fill: var(--soft);
}
.across {
  font-family: inherit;
}
.scroll {
  display: flex;
  gap: 28px;
  flex-wrap: wrap;
  padding-top: 6px;
}
.scroll table {
  width: auto;
}
caption {
  caption-side: top;
  text-align: left;
}
@media print {
  details {
    display: none;
  }
}
</style>
