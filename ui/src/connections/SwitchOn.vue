<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Radio from "ant-design-vue/es/radio";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useFrame } from "../frame/frame";
import AskDialog from "../parts/AskDialog.vue";
import { counted } from "../parts/counted";
import DateInput from "../parts/DateInput.vue";
import WhatFollows from "./WhatFollows.vue";

/** Before a connection is switched on: what becomes of the messages it has kept, and what that would set going. */
const open = defineModel<boolean>("open", { required: true });
const props = defineProps<{ connection: Api["ConnectionOut"]; tried: Api["WouldBeOut"] | undefined; busy: boolean }>();
const emit = defineEmits<{ on: [take: "nothing" | "past" | "now", since: string] }>();
const { data: frame } = useFrame();
const take = ref<"nothing" | "past" | "now">("nothing");
const day = ref<string | null>(null);
const from = computed(() => {
  if (day.value) return day.value;
  const before = new Date(`${(frame.value?.clock.wall ?? "2000-01-01").slice(0, 10)}T00:00:00Z`);
  before.setUTCDate(before.getUTCDate() - 30);
  return before.toISOString().slice(0, 10);
});
const since = computed(() => `${from.value}T00:00:00Z`);
const asks = computed(() => open.value && take.value !== "nothing");
const { data: follows, error } = useQuery({
  queryKey: ["connection-outlook", () => props.connection.key, take, since],
  queryFn: () =>
    data(
      api.POST("/api/connections/{key}/outlook", {
        params: { path: { key: props.connection.key } },
        body: { take: take.value as "past" | "now", since: since.value },
      }),
    ),
  enabled: asks,
  retry: false,
});
</script>

<template>
  <AskDialog
    v-model:open="open"
    :title="`Switch on “${connection.name}”`"
    ok="Switch on"
    :busy="busy"
    :ready="take === 'nothing' || !!follows"
    @ok="emit('on', take, since)"
  >
    <p>From now on each message is taken in as it comes, and sequences react to it as to any event.</p>
    <template v-if="connection.messages">
      <p v-if="tried">
        {{ counted(connection.messages, "message") }} {{ connection.messages === 1 ? "has" : "have" }} come so far:
        {{ counted(tried.events, "event") }}, {{ tried.waits }} that would wait, {{ tried.not_for_us }} not for us.
      </p>
      <Radio.Group v-model:value="take" class="choices">
        <Radio value="nothing">Leave them. They stay here to be looked at, and nothing comes of them.</Radio>
        <Radio value="past"
          >Take them in as the past: students and what they did become known, no sequence starts.</Radio
        >
        <Radio value="now">Take them in as if they came now: sequences start, letters go out.</Radio>
      </Radio.Group>
      <template v-if="take !== 'nothing'">
        <p>
          What came since <DateInput :model-value="from" label="Since" @update:model-value="(now) => (day = now)" />
        </p>
        <WhatFollows v-if="follows" :follows="follows" />
        <p v-else-if="error" class="wrong">{{ error.message }}</p>
        <p v-else class="soft">Looking what that would do …</p>
      </template>
    </template>
    <p v-else class="soft">Nothing has come yet, so nothing can be tried before.</p>
  </AskDialog>
</template>

<style scoped>
.choices {
  display: flex;
  flex-direction: column;
  gap: 6px;
  margin-bottom: 10px;
}
.choices :deep(.ant-radio-wrapper) {
  white-space: normal;
}
.wrong {
  color: var(--red);
}
</style>
