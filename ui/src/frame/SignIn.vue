<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";

import { api, type Api, data } from "../api/client";

const props = defineProps<{ problem: string }>();
const emit = defineEmits<{ enter: [session: Api["SessionOut"]] }>();
const email = ref("");
const password = ref("");
const refused = ref(props.problem);
const busy = ref(false);

async function signIn(): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    emit("enter", await data(api.POST("/api/session", { body: { email: email.value, password: password.value } })));
  } catch (error) {
    refused.value = (error as Error).message;
  }
  busy.value = false;
}
const said = ref("");
async function forgotten(): Promise<void> {
  refused.value = "";
  if (!email.value.includes("@")) {
    refused.value = "Write your e-mail address above first.";
    return;
  }
  try {
    said.value = (await data(api.POST("/api/session/forgotten", { body: { email: email.value } }))).said;
  } catch (error) {
    refused.value = (error as Error).message;
  }
}
</script>

<template>
  <main class="door">
    <div class="airmail" />
    <form class="inside" @submit.prevent="signIn">
      <img src="/mark.svg" alt="" width="40" />
      <h1>Patient Courier</h1>
      <label>Your e-mail address<Input v-model:value="email" type="email" autocomplete="username" autofocus /></label>
      <label>Password<Input v-model:value="password" type="password" autocomplete="current-password" /></label>
      <p v-if="refused" role="alert" class="refused">{{ refused }}</p>
      <Button type="primary" html-type="submit" block :loading="busy">Sign in</Button>
      <p v-if="said" role="status">{{ said }}</p>
      <button v-else type="button" class="link" @click="forgotten">I have forgotten my password</button>
    </form>
  </main>
</template>

<style scoped>
.door {
  max-width: 380px;
  margin: 12vh auto 0;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 6px;
  overflow: hidden;
}
.inside {
  padding: 28px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
.refused {
  color: var(--red);
  margin: 0;
}
</style>
