<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Modal from "ant-design-vue/es/modal";
import { computed } from "vue";

import { api, data } from "../api/client";
import VersionsTold from "../figures/VersionsTold.vue";

/** Which of the letters of a step does better. */
const props = defineProps<{ id: string; step: string }>();
const emit = defineEmits<{ close: [] }>();
const { data: found } = useQuery({
  queryKey: ["compared", computed(() => [props.id, props.step])],
  queryFn: () =>
    data(
      api.GET("/api/sequences/{key}/steps/{step}/versions", {
        params: { path: { key: props.id, step: props.step } },
      }),
    ),
});
</script>

<template>
  <Modal open title="Which does better?" :footer="null" width="860px" @cancel="emit('close')">
    <VersionsTold v-if="found" :found="found" />
  </Modal>
</template>
