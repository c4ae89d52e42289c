<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import WhatFollows from "../connections/WhatFollows.vue";
import { useAct } from "../parts/act";
import { counted } from "../parts/counted";
import { useNotice } from "../parts/notice";
import ThingPick from "../parts/ThingPick.vue";

/** What has come by a connection and waits: the same thing said once lets all of it in; before, what that sets going. */
const props = defineProps<{ group: Api["WaitingGroup"] }>();
const notice = useNotice();
const { things } = useThings();
const key = ref<string>();
watch(
  () => props.group.id,
  () => (key.value = undefined),
);
const path = computed(() => ({ params: { path: { id: props.group.id } } }));
const { data: follows, error } = useQuery({
  queryKey: ["waiting-outlook", () => props.group.id, key],
  queryFn: () => data(api.POST("/api/waiting/{id}/outlook", { ...path.value, body: { key: key.value as string } })),
  enabled: computed(() => Boolean(key.value)),
  retry: false,
});
const said = (now: Api["SettledOut"]) =>
  now.events
    ? `${counted(now.events, "event")} went in${now.waits ? `; ${now.waits} still wait` : ""}.`
    : "They still wait, for something else now.";
const choose = useAct(
  () => data(api.POST("/api/waiting/{id}/choice", { ...path.value, body: { key: key.value as string } })),
  { done: (now) => notice.done(said(now)) },
);
const aside = useAct(() => data(api.POST("/api/waiting/{id}/aside", path.value)), {
  done: () => notice.done("Put aside. Nothing comes of it."),
});
const nothingToChoose = computed(
  () => props.group.field === "offer" && things.value !== undefined && !things.value.offers.length,
);
</script>

<template>
  <article class="waiting">
    <b>{{ group.title }}</b><span class="label"> · {{ group.connection_name }}, {{ group.at }}</span>
    <p v-if="!group.field">{{ group.sentence }}</p>
    <template v-if="group.field">
      <p class="line">
        <span class="postmark">{{ group.found }}</span> is
        <ThingPick v-model="key" :kind="group.field" :label="`What ${group.found} is`" class="pick" />
      </p>
      <p v-if="nothingToChoose" class="soft">
        There is no offer yet. <RouterLink to="/courses">Make a course with an offer</RouterLink> first.
      </p>
      <WhatFollows v-if="key && follows" :follows="follows" />
      <p v-if="key && error" class="wrong">{{ error.message }}</p>
    </template>
    <Button
      v-if="group.field"
      size="small"
      :disabled="!key || !follows"
      :loading="choose.isPending.value"
      @click="choose.mutate()"
      >{{ group.number > 1 ? "Take them in" : "Take it in" }}</Button
    >
    <RouterLink :to="`/school/connections/${group.connection}`" class="do">The connection</RouterLink>
    <Button size="small" type="text" @click="aside.mutate()">{{
      group.number > 1 ? "Put all aside" : "Put aside"
    }}</Button>
  </article>
</template>

<style scoped>
.waiting {
  padding: 10px 14px;
  border-top: 1px solid var(--rule2);
}
p {
  margin: 4px 0 6px;
  overflow-wrap: anywhere;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.pick {
  max-width: 300px;
}
.do {
  padding: 0 8px;
}
.wrong {
  color: var(--red);
}
</style>
