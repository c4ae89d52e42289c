<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Modal from "ant-design-vue/es/modal";
import { computed, onBeforeUnmount, onMounted } from "vue";

import { api, data } from "../api/client";
import LetterPaper from "./LetterPaper.vue";

/** A message of the mailroom, as it arrived. */
const props = defineProps<{ mail: number; title: string }>();
const emit = defineEmits<{ close: [] }>();
const { data: found } = useQuery({
  queryKey: ["mail", computed(() => props.mail)],
  queryFn: () => data(api.POST("/api/practice/mail/{id}/open", { params: { path: { id: props.mail } } })),
  staleTime: Infinity,
});
// The letter stands in a document of its own, and what it takes of the keyboard must not keep the dialog open.
const key = (event: KeyboardEvent) => event.key === "Escape" && emit("close");
onMounted(() => window.addEventListener("keydown", key));
onBeforeUnmount(() => window.removeEventListener("keydown", key));
</script>

<template>
  <Modal open :title="title" :footer="null" width="640px" @cancel="emit('close')">
    <template v-if="found">
      <h3 data-testid="mail-subject" class="subject">{{ found.subject }}</h3>
      <p class="label">
        From {{ found.sender }}<br />To {{ found.to }} · <span class="postmark">{{ found.sent }}</span>
      </p>
      <LetterPaper :html="found.html" title="The letter" />
    </template>
  </Modal>
</template>

<style scoped>
.subject {
  font: 600 18px/1.35 var(--letter);
  overflow-wrap: anywhere;
}
</style>
