<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { api, type Api, begunFrom, data } from "../api/client";
import type { Matcher } from "../api/school-file";
import { useAct } from "../parts/act";
import DurationInput from "../parts/DurationInput.vue";
import { useNotice } from "../parts/notice";
import PickPopover from "../parts/PickPopover.vue";
import MatcherRow from "./MatcherRow.vue";
import { HELD_BACK, oneIn, spanWords } from "./words";

/** A trial as a sentence with parts to click, and how long it would take; it begins when the owner says so. */
const props = defineProps<{ id: string; page: Api["TrialPage"] }>();
const notice = useNotice();
const SHARES = Object.entries(HELD_BACK)
  .map(([value, label]) => ({ value: Number(value), label }))
  .reverse();
const hold_back = ref(20);
const hoped = ref(10);
const within = ref<string>("P30D");
const goal = ref<Matcher>({ on: "course_completed", course: "this" });
const asked = computed(() => ({ hold_back: hold_back.value, goal: goal.value, within: within.value }));
const { data: plan, error } = useQuery({
  queryKey: ["trial-plan", computed(() => props.id), asked, hoped],
  queryFn: () =>
    data(
      api.POST("/api/sequences/{key}/trial/plan", {
        params: { path: { key: props.id } },
        body: { ...asked.value, hoped: hoped.value },
      }),
    ),
  placeholderData: keepPreviousData,
});
const share = computed(() => oneIn(hold_back.value));
const words = computed(() => /whether a student has (.*) within/.exec(plan.value?.words ?? "")?.[1] ?? "…");
const begin = useAct(
  () => {
    const header = begunFrom(props.page.edition);
    return data(
      api.POST("/api/sequences/{key}/trial", { params: { path: { key: props.id }, header }, body: asked.value }),
    );
  },
  { done: () => notice.done("The trial has begun. Whoever comes in from now on takes part.") },
);
</script>

<template>
  <section class="sheet setting">
    <p class="sentence">
      Hold
      <PickPopover placement="bottomLeft" title="How many get nothing?">
        <button class="link part">{{ share }}</button>
        <template #content
          ><Select v-model:value="hold_back" v-named="'How many are held back'" :options="SHARES" style="width: 160px"
        /></template>
      </PickPopover>
      back, and see whether a student has
      <PickPopover placement="bottom" title="What do you hope for?">
        <button class="link part">{{ words }}</button>
        <template #content
          ><div class="goal"><MatcherRow v-model="goal" inside /></div
        ></template>
      </PickPopover>
      within
      <PickPopover placement="bottomRight" title="Within what time of coming in?">
        <button class="link part">{{ spanWords(within) }}</button>
        <template #content
          ><DurationInput v-model="within" label="Within what time" :least="1"
        /></template> </PickPopover
      >.
    </p>
    <p v-if="error" class="warn" role="alert">{{ error.message }}</p>
    <div v-else-if="plan" class="plan" data-testid="plan">
      <label class="hoped"
        >A difference of
        <InputNumber v-model:value="hoped" :min="1" :max="90" aria-label="Points hoped for" class="points" /> points
        would be worth it.</label
      >
      <p>{{ plan.how_long }}</p>
      <p class="soft">
        <template v-if="plan.usual !== null"
          >Of {{ plan.of }} who came in before and whose time is over, {{ Math.round(100 * plan.usual) }}% got there;
          reckoned with 80% certainty of telling such a difference.</template
        ><template v-else
          >Nobody’s time is over yet, so it is reckoned with half of them getting there, which takes the most
          students.</template
        >
      </p>
    </div>
    <div class="means">
      <h3>What it means for them</h3>
      <ul>
        <li>
          {{ share }} who would come in get none of these letters. Who it is, is drawn by lot, once and for all; neither
          you nor they choose.
        </li>
        <li>Nobody is ever held back from service letters or a certificate: such a sequence can’t have a trial.</li>
        <li>Whom you start by hand gets it, and is counted on neither side.</li>
        <li>Share, goal and time stay as they are once the first student has come in.</li>
      </ul>
    </div>
    <div>
      <Button v-needs="'write'" type="primary" :loading="begin.isPending.value" @click="begin.mutate()">{{
        page.status === "running" ? "Begin the trial now" : "Begin it when the sequence runs"
      }}</Button>
    </div>
  </section>
</template>

<style scoped>
.setting {
  padding: 20px 24px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.sentence {
  font: 600 20px/1.6 var(--title);
  margin: 0;
}
.part {
  font: inherit;
}
.goal {
  width: min(380px, 80vw);
}
.plan {
  background: var(--act-bg);
  padding: 12px 16px;
  border-radius: 6px;
}
.plan p {
  margin: 6px 0 0;
}
.hoped {
  display: block;
}
.points {
  width: 66px;
}
.means h3 {
  margin: 0 0 4px;
  font-size: 14px;
}
ul {
  margin: 0;
  padding-left: 18px;
}
li {
  padding: 2px 0;
}
</style>
