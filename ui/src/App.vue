<script setup lang="ts">
import App from "ant-design-vue/es/app";
import ConfigProvider from "ant-design-vue/es/config-provider";
import { defineAsyncComponent, onMounted, ref } from "vue";

import { api, type Api, data, Refusal, useCsrf } from "./api/client";
import AppFrame from "./frame/AppFrame.vue";
import ProveAgain from "./frame/ProveAgain.vue";
import { useRights } from "./api/rights";
import SignIn from "./frame/SignIn.vue";
import { router } from "./router";
import { theme } from "./theme";

const SetUp = defineAsyncComponent(() => import("./setup/SetUp.vue"));
const ByLink = defineAsyncComponent(() => import("./setup/ByLink.vue"));
// What a letter's link opens for somebody who has not signed in.
const opened = location.hash.length > 1 ? location.pathname.slice(1) : "";
const byLink = ref<"invited" | "new-password" | null>(
  opened === "invited" || opened === "new-password" ? opened : null,
);
const settingUp = ref(location.pathname === "/set-up" && location.hash.length > 1);
const session = ref<Api["SessionOut"] | null>(null);
const asked = ref(false);
const problem = ref("");

function enter(found: Api["SessionOut"]): void {
  useCsrf(found.csrf);
  useRights(found);
  session.value = found;
}

function comeIn(found: Api["SessionOut"]): void {
  enter(found);
  void router.replace("/today").then(() => (byLink.value = null));
}

onMounted(async () => {
  if (settingUp.value || byLink.value) return;
  try {
    enter(await data(api.GET("/api/session")));
  } catch (error) {
    if (error instanceof Refusal && error.status !== 401) problem.value = error.message;
  }
  asked.value = true;
});
</script>

<template>
  <ConfigProvider :theme="theme">
    <App style="height: 100%" :message="{ top: 'calc(100vh - 84px)' }">
      <SetUp v-if="settingUp" @enter="enter" @leave="settingUp = false" />
      <ByLink v-else-if="byLink" :kind="byLink" @enter="comeIn" />
      <template v-else-if="asked || session">
        <template v-if="session">
          <AppFrame :session="session" @leave="session = null" />
          <ProveAgain />
        </template>
        <SignIn v-else :problem="problem" @enter="enter" />
      </template>
    </App>
  </ConfigProvider>
</template>
