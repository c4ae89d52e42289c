<script setup lang="ts">
import { ref } from "vue";

import { api, Refusal } from "../api/client";
import { useNotice } from "./notice";

/** A link to a file that the browser keeps, for which one may have to show once more that it is oneself. */
defineProps<{ href: string; name?: string }>();
const notice = useNotice();
const link = ref<HTMLAnchorElement>();
let shown = false;

async function begin(event: MouseEvent): Promise<void> {
  if (shown) return;
  event.preventDefault();
  try {
    await api.GET("/api/session/proved");
    shown = true;
    link.value?.click();
  } catch (error) {
    // Whoever would rather not show it has just said so themselves.
    if (!(error instanceof Refusal && error.status === 403)) notice.refused(error);
  } finally {
    shown = false;
  }
}
</script>

<template>
  <a ref="link" :href="href" :download="name ?? ''" @click="begin"><slot /></a>
</template>
