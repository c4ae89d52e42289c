<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { onMounted, ref } from "vue";

import { api, type Api, data, useProof } from "../api/client";
import AskDialog from "../parts/AskDialog.vue";
import CodeField from "../you/CodeField.vue";
import { passkeysHere, showPasskey } from "../you/passkey";

/** Asks whoever is signed in to show once more that it is them; what they were about to do is done then. */
const wanted = ref<Api["ProofWanted"] | null>(null);
const open = ref(false);
const code = ref("");
const password = ref("");
const refused = ref("");
const busy = ref(false);
let asking: Promise<boolean> | null = null;
let answer: (proved: boolean) => void = () => undefined;

onMounted(() =>
  useProof(() => {
    // Several questions that are refused at once are answered by one proof.
    asking ??= ask().finally(() => (asking = null));
    return asking;
  }),
);

async function ask(): Promise<boolean> {
  wanted.value = await data(api.GET("/api/session/proof"));
  code.value = password.value = refused.value = "";
  open.value = true;
  return new Promise((resolve) => (answer = resolve));
}

async function prove(show: () => Promise<Api["ShownAgain"]>): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    await api.POST("/api/session/proof", { body: await show() });
    open.value = false;
    answer(true);
  } catch (error) {
    refused.value = (error as Error).message;
  }
  busy.value = false;
}
const typed = () => prove(() => Promise.resolve({ ticket: "", password: password.value, code: code.value }));
const withPasskey = () =>
  prove(async () => {
    const asked = await data(api.POST("/api/session/proof/passkey"));
    return { ticket: asked.ticket, password: "", code: "", passkey: await showPasskey(asked.options) };
  });
</script>

<template>
  <AskDialog
    v-if="wanted"
    v-model:open="open"
    title="Is it you?"
    ok="Go on"
    :ready="wanted.password ? password !== '' : code.trim().length >= 6"
    :busy="busy"
    @ok="typed"
    @cancel="answer(false)"
  >
    <div class="stacked">
      <p>
        This opens the school or can't be taken back, so show once more that it is you. It holds for a quarter of an
        hour.
      </p>
      <Button v-if="wanted.passkey && passkeysHere()" :loading="busy" @click="withPasskey">Use your passkey</Button>
      <label v-if="wanted.password"
        >Your password<Input v-model:value="password" type="password" autocomplete="current-password"
      /></label>
      <CodeField v-if="wanted.code" v-model="code" />
      <p v-if="refused" role="alert" class="refused">{{ refused }}</p>
    </div>
  </AskDialog>
</template>

<style scoped>
p {
  margin: 0;
}
.refused {
  color: var(--red);
}
</style>
