<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { rooted } from "../api/base";
import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import ThingPick from "../parts/ThingPick.vue";
import TagBought from "../tags/TagBought.vue";
import BeingCounted from "./BeingCounted.vue";
import { percent, place } from "./scale";
import ShareBars from "./ShareBars.vue";

/** What was bought and paid back, by month and offer; and what letters were followed by, which is no proof. */
const { things } = useThings();
const { data: found } = useQuery({ queryKey: ["purchases"], queryFn: () => data(api.GET("/api/purchases")) });
const { data: broadcasts } = useQuery({ queryKey: ["broadcasts"], queryFn: () => data(api.GET("/api/broadcasts")) });
const most = computed(() => Math.max(1, ...(found.value?.items ?? []).map((one) => one.bought)));
const sums = (one: Api["SoldInMonth"]) => one.sums.map((sum) => `${sum.currency} ${sum.amount}`.trim()).join(", ");
const what = ref("");
const offer = ref("any");
const days = ref(14);
const choices = computed(() => [
  {
    label: "Broadcasts",
    options: (broadcasts.value ?? [])
      .filter((one) => !["draft", "scheduled"].includes(one.status))
      .map((one) => ({ value: `broadcast:${one.key}`, label: one.name })),
  },
  {
    label: "Sequences",
    options: (things.value?.sequences ?? []).map((one) => ({ value: `sequence:${one.key}`, label: one.title })),
  },
]);
const asked = computed(() => {
  const [kind, key] = [what.value.split(":")[0], what.value.split(":").slice(1).join(":")];
  return {
    [kind === "broadcast" ? "broadcast" : "sequence"]: key,
    offer: offer.value === "any" ? "" : offer.value,
    days: days.value,
  };
});
const { data: followed, error } = useQuery({
  queryKey: ["followed", asked],
  queryFn: () => data(api.GET("/api/purchases/followed", { params: { query: asked.value } })),
  enabled: computed(() => what.value !== ""),
  placeholderData: keepPreviousData,
});
</script>

<template>
  <PageHead title="Purchases" :above="{ to: '/courses', name: 'Courses' }">
    <a v-if="found?.items.length" :href="rooted('/api/purchases.csv')" download>As CSV</a>
  </PageHead>
  <div v-if="found" class="sheets">
    <EmptyState v-if="!found.items.length" title="Nothing was bought yet"
      >Once a shop or course site reports purchases, they stand here by month.</EmptyState
    >
    <template v-else>
      <section class="sheet box scroll">
        <table class="plain">
          <caption class="label">
            By month of the school’s time; sums are of the purchases whose amount was reported
          </caption>
          <thead>
            <tr>
              <th>Month</th>
              <th>Offer</th>
              <th class="num">Bought</th>
              <th class="wide-only" />
              <th class="num">Paid back</th>
              <th class="num">Amounts</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in found.items" :key="one.month + one.offer">
              <td>{{ one.words }}</td>
              <td>{{ one.title }}</td>
              <td class="num postmark">{{ one.bought }}</td>
              <td class="wide-only drawn" aria-hidden="true">
                <i :style="{ width: `${place(one.bought, 0, most)}%` }" />
              </td>
              <td class="num postmark">{{ one.refunded || "" }}</td>
              <td class="num">
                <span :class="sums(one) ? 'postmark' : 'label'">{{ sums(one) || "not reported" }}</span><span
                  v-if="one.known && one.known < one.bought"
                  class="label"
                >
                  of {{ one.known }}</span
                >
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section class="sheet box">
        <h2>What were letters followed by?</h2>
        <p class="line">
          After
          <Select
            v-model:value="what"
            v-named="'Which letters'"
            :options="choices"
            show-search
            option-filter-prop="label"
            class="pick"
          />
          who bought
          <ThingPick
            v-model="offer"
            kind="offer"
            label="Which offer"
            :also="[{ value: 'any', label: 'anything' }]"
            class="pick"
          />
          within
          <InputNumber v-model:value="days" :min="1" :max="3650" aria-label="Days" class="days" /> days?
        </p>
        <p v-if="error" class="warn" role="alert">{{ error.message }}</p>
        <template v-else-if="what && followed">
          <p class="answer" data-testid="followed">
            <template v-if="followed.share"
              >Followed by a purchase for {{ followed.bought }} of {{ followed.of }}:
              {{ percent(followed.share.value) }}, between {{ percent(followed.share.low) }} and
              {{ percent(followed.share.high) }}{{ followed.small ? " (few, so this says little)" : "" }}.</template
            ><template v-else>Nobody’s {{ days }} days are over yet.</template>
          </p>
          <ShareBars
            caption="Of those whose days are over"
            :bars="[
              {
                key: 'followed',
                label: 'Bought',
                share: followed.share,
                counts: [],
                note: `${followed.bought} of ${followed.of}, ${followed.open} still open`,
              },
            ]"
          />
          <p class="soft">What came after is not what came of it: some would have bought anyway. A trial tells.</p>
        </template>
      </section>
      <TagBought />
    </template>
  </div>
  <BeingCounted v-else class="sheets" />
</template>

<style scoped>
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.pick {
  width: 210px;
}
.days {
  width: 70px;
}
.answer {
  font: 600 17px/1.4 var(--title);
}
.scroll {
  overflow-x: auto;
}
.scroll td {
  vertical-align: middle;
}
.scroll td:nth-child(-n + 2) {
  min-width: 104px;
}
caption {
  caption-side: top;
  text-align: left;
  padding-bottom: 6px;
}
.num {
  text-align: right !important;
}
.drawn {
  width: 22%;
}
.drawn i {
  display: block;
  height: 12px;
  background: var(--act);
}
@media print {
  .drawn i {
    print-color-adjust: exact;
  }
}
</style>
