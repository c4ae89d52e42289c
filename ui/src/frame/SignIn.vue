<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";

import { api, type Api, data } from "../api/client";
import DoorPage from "../parts/DoorPage.vue";
import { passkeysHere, showPasskey } from "../you/passkey";
import SecondStep from "./SecondStep.vue";

const props = defineProps<{ problem: string }>();
const emit = defineEmits<{ enter: [session: Api["SessionOut"]] }>();
const email = ref("");
const password = ref("");
const refused = ref(props.problem);
const busy = ref(false);

const step = ref<Api["SecondStep"] | null>(null);

async function act(asking: () => Promise<void>): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    await asking();
  } catch (error) {
    refused.value = (error as Error).message;
  }
  busy.value = false;
}
const signIn = () =>
  act(async () => {
    const found = await data(api.POST("/api/session", { body: { email: email.value, password: password.value } }));
    if ("ticket" in found) step.value = found;
    else emit("enter", found);
  });
const withPasskey = () =>
  act(async () => {
    const asked = await data(api.POST("/api/session/passkey", { body: { ticket: "" } }));
    const passkey = await showPasskey(asked.options);
    emit("enter", await data(api.POST("/api/session/second", { body: { ticket: asked.ticket, code: "", passkey } })));
  });
const named = !/^[\d.]+$|^\[/.test(location.hostname);
const said = ref("");
const forgotten = () =>
  act(async () => {
    if (!email.value.includes("@")) throw new Error("Write your e-mail address above first.");
    said.value = (await data(api.POST("/api/session/forgotten", { body: { email: email.value } }))).said;
  });
</script>

<template>
  <SecondStep v-if="step" :step="step" @enter="(session) => emit('enter', session)" @back="step = null" />
  <DoorPage v-else @send="signIn">
    <h1>Patient Courier</h1>
    <label>Your e-mail address<Input v-model:value="email" type="email" autocomplete="username" autofocus /></label>
    <label>Password<Input v-model:value="password" type="password" autocomplete="current-password" /></label>
    <p v-if="refused" role="alert" class="refused">{{ refused }}</p>
    <Button type="primary" html-type="submit" block :loading="busy">Sign in</Button>
    <Button v-if="named && passkeysHere()" block @click="withPasskey">Use a passkey</Button>
    <p v-if="said" role="status">{{ said }}</p>
    <button v-else type="button" class="link" @click="forgotten">I have forgotten my password</button>
  </DoorPage>
</template>
