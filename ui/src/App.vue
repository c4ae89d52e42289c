<script setup lang="ts">
import App from "ant-design-vue/es/app";
import ConfigProvider from "ant-design-vue/es/config-provider";
import { onMounted, ref } from "vue";

import { api, type Api, data, Refusal, useCsrf } from "./api/client";
import AppFrame from "./frame/AppFrame.vue";
import SignIn from "./frame/SignIn.vue";
import { theme } from "./theme";

const session = ref<Api["SessionOut"] | null>(null);
const asked = ref(false);
const problem = ref("");

function enter(found: Api["SessionOut"]): void {
  useCsrf(found.csrf);
  session.value = found;
}

onMounted(async () => {
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
      <template v-if="asked">
        <AppFrame v-if="session" :session="session" @leave="session = null" />
        <SignIn v-else :problem="problem" @enter="enter" />
      </template>
    </App>
  </ConfigProvider>
</template>
