<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";

import { api, data } from "../api/client";
import PageHead from "../parts/PageHead.vue";
import OutgoingLog from "./OutgoingLog.vue";

/** What steps of sequences have called, in the same log as destinations have. */
const { data: all } = useQuery({ queryKey: ["destinations"], queryFn: () => data(api.GET("/api/destinations")) });
</script>

<template>
  <PageHead title="Calls of steps" :above="{ to: '/school/destinations', name: 'Destinations and keys' }" />
  <div class="room">
    <section class="sheet"><OutgoingLog of="this" :practice="all?.practice ?? false" /></section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
}
section {
  padding: 4px 14px 14px;
}
</style>
