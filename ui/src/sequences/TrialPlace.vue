<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import RadioGroup from "ant-design-vue/es/radio/Group";
import { computed, ref } from "vue";

import { api, begunFrom, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import BeingCounted from "../figures/BeingCounted.vue";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import TrialAnswer from "./TrialAnswer.vue";
import TrialSetting from "./TrialSetting.vue";

/** Does a sequence help? The trial it has, with its answer; setting one up; and those that have ended. */
const props = defineProps<{ id: string }>();
const notice = useNotice();
const path = computed(() => ({ key: props.id }));
const { data: page, error } = useQuery({
  queryKey: ["trial", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}/trial", { params: { path: path.value } })),
});
const ending = ref(false);
const how = ref<"everybody" | "nobody" | "on">("everybody");
const end = useAct(
  (chosen: "everybody" | "nobody") => {
    const header = begunFrom(page.value?.edition ?? "");
    return data(
      api.POST("/api/sequences/{key}/trial/end", { params: { path: path.value, header }, body: { how: chosen } }),
    );
  },
  {
    done: (_, chosen) => {
      ending.value = false;
      notice.done(
        chosen === "everybody"
          ? "From now on everybody who comes in gets it. The result stays below."
          : "Nobody new comes in any more. The result stays below.",
      );
    },
  },
);
function decide(): void {
  if (how.value === "on") ending.value = false;
  else end.mutate(how.value);
}
</script>

<template>
  <PageHead v-if="page" title="Does it help?" :above="{ to: `/sequences/${id}`, name: page.name }">
    <Button v-if="page.now" v-needs="'write'" @click="ending = true">End the trial</Button>
  </PageHead>
  <div v-if="page" class="sheets">
    <TrialAnswer v-if="page.now" :id="id" :trial="page.now" :status="page.status" />
    <EmptyState v-else-if="page.impossible" title="This sequence can't hold anybody back">{{
      page.impossible
    }}</EmptyState>
    <TrialSetting v-else :id="id" :page="page" />
    <section v-if="page.before.length" class="before">
      <h2>Trials that have ended</h2>
      <TrialAnswer v-for="one in page.before" :id="id" :key="one.key" :trial="one" status="closed" />
    </section>
  </div>
  <EmptyState v-else-if="error" title="This trial can't be shown">{{ error.message }}</EmptyState>
  <BeingCounted v-else class="sheets" />
  <AskDialog
    v-model:open="ending"
    title="What now?"
    :ok="how === 'on' ? 'Go on' : 'End the trial'"
    :busy="end.isPending.value"
    @ok="decide"
  >
    <RadioGroup
      v-model:value="how"
      class="ways"
      :options="[
        { value: 'everybody', label: 'Everybody gets it from now on' },
        { value: 'nobody', label: 'Nobody new gets it: the sequence is closed' },
        { value: 'on', label: 'Go on: the trial stays as it is' },
      ]"
    />
    <p class="soft">
      Those who were held back so far are not written to afterwards. The result stays on this page, and who is still
      open comes to their end.
    </p>
  </AskDialog>
</template>

<style scoped>
.before {
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.ways {
  display: flex;
  flex-direction: column;
  gap: 6px;
  margin-bottom: 10px;
}
</style>
