<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Modal from "ant-design-vue/es/modal";

import { api, data } from "../api/client";

/** Who stands at a step now, and until when. */
const props = defineProps<{ id: string; step: string }>();
const emit = defineEmits<{ close: [] }>();
const { data: there } = useQuery({
  queryKey: ["inside", props.id, props.step],
  queryFn: () =>
    data(
      api.GET("/api/sequences/{key}/steps/{step}/students", { params: { path: { key: props.id, step: props.step } } }),
    ),
});
</script>

<template>
  <Modal open title="Standing here now" :footer="null" @cancel="emit('close')">
    <ul class="who">
      <li v-for="person in there" :key="person.key">
        <RouterLink :to="`/students/${person.key}`">{{ person.name }}</RouterLink>{{ " "
        }}<span class="label"
          >{{ person.until ? `until ${person.until} where they live` : "until something happens"
          }}<template v-if="person.round"> · round {{ person.round }}</template></span
        >
      </li>
    </ul>
  </Modal>
</template>

<style scoped>
.who {
  padding-left: 18px;
}
.who li {
  padding: 3px 0;
}
</style>
