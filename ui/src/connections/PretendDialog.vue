<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import { computed, ref, watch } from "vue";

import { api, data } from "../api/client";
import { useFrame } from "../frame/frame";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import WhatFollows from "./WhatFollows.vue";

/** “Pretend this happened”: the message once more, about an address of one's own, with what it posts told before. */
const open = defineModel<boolean>("open", { required: true });
const props = defineProps<{ connection: string; message: number }>();
const notice = useNotice();
const { data: frame } = useFrame();
const email = ref("");
const asked = ref("");
let waiting = 0;
watch(email, (now) => {
  window.clearTimeout(waiting);
  waiting = window.setTimeout(() => (asked.value = now.trim()), 400);
});
const path = computed(() => ({ params: { path: { key: props.connection, id: props.message } } }));
const { data: seen, error } = useQuery({
  queryKey: ["pretend", () => props.connection, () => props.message, asked],
  queryFn: () =>
    data(
      api.POST("/api/connections/{key}/messages/{id}/pretend/outlook", { ...path.value, body: { email: asked.value } }),
    ),
  enabled: computed(() => open.value && asked.value.includes("@")),
  retry: false,
});
const ready = computed(() => !!seen.value && asked.value === email.value.trim());
const act = useAct(
  () =>
    data(
      api.POST("/api/connections/{key}/messages/{id}/pretend", { ...path.value, body: { email: email.value.trim() } }),
    ),
  {
    done: (now) => {
      open.value = false;
      notice.done(now.join(" "));
    },
  },
);
</script>

<template>
  <AskDialog
    v-model:open="open"
    title="Pretend this happened"
    ok="Let it happen"
    :ready="ready"
    :busy="act.isPending.value"
    @ok="act.mutate()"
  >
    <p v-if="frame && !frame.clock.practice" class="real">
      This is a real school: what it says below is really posted. Use an address of your own.
    </p>
    <label>The same once more, now, for<Input v-model:value="email" type="email" placeholder="an address" /></label>
    <template v-if="ready && seen">
      <p v-for="one in seen.sentences" :key="one">{{ one }}</p>
      <WhatFollows :follows="seen.follows" />
    </template>
    <p v-else-if="error && asked.includes('@')" class="wrong">{{ error.message }}</p>
  </AskDialog>
</template>

<style scoped>
p {
  margin: 8px 0;
}
.real {
  color: var(--warn);
}
.wrong {
  color: var(--red);
}
</style>
