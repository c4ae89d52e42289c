<script setup lang="ts">
import { percent, place } from "./scale";

/** Shares beside each other as bars with their ranges; a table, so that it reads and copies as one. */
export interface Bar {
  key: string;
  label: string;
  share: { value: number; low: number; high: number } | null;
  /** How many of how many, in words; each opens its names. */
  counts: { words: string; number: number; what: string }[];
  /** Said where there are no names to open. */
  note?: string;
}
defineProps<{ caption: string; bars: Bar[] }>();
const emit = defineEmits<{ open: [bar: string, what: string] }>();
</script>

<template>
  <table class="bars">
    <caption class="label">
      {{
        caption
      }}
    </caption>
    <tbody>
      <tr v-for="bar in bars" :key="bar.key">
        <th scope="row">{{ bar.label }}</th>
        <td class="drawn" aria-hidden="true">
          <span v-if="bar.share" class="line">
            <i class="bar" :class="bar.key" :style="{ width: `${place(bar.share.value, 0, 1)}%` }" />
            <i
              class="range"
              :style="{
                left: `${place(bar.share.low, 0, 1)}%`,
                width: `${place(bar.share.high, 0, 1) - place(bar.share.low, 0, 1)}%`,
              }"
            />
          </span>
          <span v-else class="line none" />
        </td>
        <td class="number">
          <template v-if="bar.share"
            ><b class="postmark">{{ percent(bar.share.value) }}</b
            >{{ " " }}<span class="label">{{ percent(bar.share.low) }} to {{ percent(bar.share.high) }}</span></template
          ><span v-else class="soft">no share yet</span>
        </td>
        <td class="counts">
          <span v-if="bar.note" class="label">{{ bar.note }}</span>
          <button v-for="one in bar.counts" :key="one.what" class="link" @click="emit('open', bar.key, one.what)">
            <b class="postmark">{{ one.number }}</b> {{ one.words }}
          </button>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.bars {
  width: 100%;
  border-collapse: collapse;
}
caption {
  caption-side: top;
  text-align: left;
  padding-bottom: 4px;
}
th {
  text-align: left;
  font-weight: 600;
  padding: 7px 14px 7px 0;
  white-space: nowrap;
  vertical-align: top;
}
td {
  padding: 7px 0;
  vertical-align: top;
}
.drawn {
  width: 46%;
}
.line {
  display: block;
  position: relative;
  height: 22px;
  background: var(--sheet2);
  border: 1px solid var(--rule2);
}
.bar,
.range {
  position: absolute;
  display: block;
}
.bar {
  top: 0;
  bottom: 0;
  left: 0;
  background: var(--act);
  opacity: 0.82;
}
.bar.held_back {
  background: var(--soft);
}
.range {
  top: 8px;
  height: 4px;
  border: 1px solid var(--sheet);
  background: var(--ink);
}
.number {
  padding-left: 14px;
  white-space: nowrap;
}
.counts {
  padding-left: 14px;
}
.counts .label {
  white-space: nowrap;
}
.counts .link {
  display: block;
  text-align: left;
  font-size: 13px;
}
@media (max-width: 720px) {
  .bars,
  .bars caption,
  .bars tbody,
  .bars tr,
  .bars th,
  .bars td {
    display: block;
    width: auto;
    padding-left: 0;
  }
  .bars tr {
    padding-bottom: 10px;
  }
  .bars td,
  .bars th {
    padding: 2px 0;
  }
}
@media print {
  .line,
  .bar,
  .range {
    print-color-adjust: exact;
  }
}
</style>
