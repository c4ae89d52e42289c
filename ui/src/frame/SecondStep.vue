<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { ref } from "vue";

import { api, type Api, data } from "../api/client";
import DoorPage from "../parts/DoorPage.vue";
import CodeField from "../you/CodeField.vue";
import { passkeysHere, showPasskey } from "../you/passkey";

/** What is asked for after the password. */
const props = defineProps<{ step: Api["SecondStep"] }>();
const emit = defineEmits<{ enter: [session: Api["SessionOut"]]; back: [] }>();
const code = ref("");
const refused = ref("");
const busy = ref(false);

async function enter(show: () => Promise<Api["ShownIn"]>): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    emit("enter", await data(api.POST("/api/session/second", { body: await show() })));
  } catch (error) {
    refused.value = (error as Error).message;
  }
  busy.value = false;
}
const withCode = () => enter(() => Promise.resolve({ ticket: props.step.ticket, code: code.value }));
const withPasskey = () =>
  enter(async () => {
    const asked = await data(api.POST("/api/session/passkey", { body: { ticket: props.step.ticket } }));
    return { ticket: asked.ticket, code: "", passkey: await showPasskey(asked.options) };
  });
</script>

<template>
  <DoorPage @send="withCode">
    <h1>One step more</h1>
    <Button v-if="step.passkey && passkeysHere()" block :loading="busy" @click="withPasskey">Use your passkey</Button>
    <template v-if="step.code">
      <CodeField v-model="code" />
      <Button type="primary" html-type="submit" block :loading="busy" :disabled="code.trim().length < 6"
        >Sign in</Button
      >
    </template>
    <p v-if="refused" role="alert" class="refused">{{ refused }}</p>
    <button type="button" class="link" @click="emit('back')">Begin again</button>
  </DoorPage>
</template>
