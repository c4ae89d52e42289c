<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";

import { api, data, useCsrf } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";

/** A new password for whoever is signed in; other sessions end. */
const notice = useNotice();
const current = ref("");
const fresh = ref("");
const change = useAct(
  () => data(api.PUT("/api/session/password", { body: { current: current.value, new: fresh.value } })),
  {
    done: (session) => {
      useCsrf(session.csrf);
      current.value = fresh.value = "";
      notice.done("The new password holds. Everywhere else you are signed out.");
    },
    refreshes: [],
  },
);
</script>

<template>
  <form class="sheet box" @submit.prevent="change.mutate()">
    <h2>Your password</h2>
    <label>The one you have<Input v-model:value="current" type="password" autocomplete="current-password" /></label>
    <label
      >A new one, of 10 characters or more<Input v-model:value="fresh" type="password" autocomplete="new-password"
    /></label>
    <div>
      <Button html-type="submit" :disabled="!current || fresh.length < 10" :loading="change.isPending.value"
        >Change it</Button
      >
    </div>
  </form>
</template>

<style scoped>
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
</style>
