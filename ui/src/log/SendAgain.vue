<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";

/** A letter once more by hand, or after all: what it would be and what stands against it, then it goes at once. */
const props = defineProps<{ id: number; status: string; small?: boolean }>();
const router = useRouter();
const notice = useNotice();
const asking = ref(false);
const path = computed(() => ({ params: { path: { id: props.id } } }));
const words = computed(() =>
  props.status === "sent" || props.status === "told" ? "Send it again" : "Send it after all",
);
const { data: slip } = useQuery({
  queryKey: ["again", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/deliveries/{id}/again", path.value)),
  enabled: asking,
  gcTime: 0,
});
const send = useAct(() => data(api.POST("/api/deliveries/{id}/again", path.value)), {
  done: ({ id }) => {
    asking.value = false;
    notice.done("It is on its way.");
    if (!props.small) void router.push(`/dispatch/${id}`);
  },
});
</script>

<template>
  <button v-if="small" class="link small" @click="asking = true">{{ words }}</button>
  <Button v-else @click="asking = true">{{ words }}</Button>
  <AskDialog
    v-model:open="asking"
    :title="words"
    ok="Send it now"
    cancel="Not now"
    :ready="Boolean(slip && !slip.against)"
    :busy="send.isPending.value"
    @ok="send.mutate()"
  >
    <div v-if="slip" data-testid="again">
      <p class="post">
        To <bdi>{{ slip.to }}</bdi>
      </p>
      <p>“{{ slip.subject }}”, in its newest text</p>
      <p v-if="slip.against" class="blank" role="alert">▲ {{ slip.against }}</p>
      <p v-for="line in slip.remarks" :key="line" class="soft">{{ line }}</p>
    </div>
  </AskDialog>
</template>

<style scoped>
.small {
  font-size: 12.5px;
}
.post {
  font: 600 16px/1.4 var(--title);
  overflow-wrap: anywhere;
}
.blank {
  color: var(--warn);
}
p {
  margin: 0 0 6px;
}
</style>
