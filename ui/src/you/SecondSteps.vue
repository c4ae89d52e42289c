<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import { makePasskey, passkeysHere } from "./passkey";
import RecoveryCodes from "./RecoveryCodes.vue";

/** One's second step: an app that shows codes, passkeys, and recovery codes for the day both are lost. */
const notice = useNotice();
const REFRESHES = ["steps"];
const { data: steps } = useQuery({ queryKey: ["steps"], queryFn: () => data(api.GET("/api/session/steps")) });
const codes = ref<string[]>([]);
const shown = (given: Api["RecoveryCodes"]) => {
  if (given.codes.length) codes.value = given.codes;
};

const app = ref<Api["AppAsked"] | null>(null);
const code = ref("");
const beginApp = useAct(() => data(api.POST("/api/session/app")), {
  done: (asked) => {
    code.value = "";
    app.value = asked;
  },
  refreshes: [],
});
const keepApp = useAct(
  () => data(api.PUT("/api/session/app", { body: { ticket: app.value?.ticket ?? "", code: code.value } })),
  {
    done: (given) => {
      app.value = null;
      shown(given);
      notice.done("From now on a code of your app is asked for when you sign in.");
    },
    refreshes: REFRESHES,
  },
);
const forgetApp = useAct(() => data(api.DELETE("/api/session/app")), { refreshes: REFRESHES });
async function withoutApp(): Promise<void> {
  if (await notice.ask("Ask for no codes any more?", WEAKER, "Ask for none", "Not now")) forgetApp.mutate();
}
const WEAKER = "Whoever learns your password can come in then, unless another second step is left.";

const naming = ref(false);
const name = ref("");
const keepPasskey = useAct(
  async () => {
    const asked = await data(api.POST("/api/session/passkeys/begin"));
    const passkey = await makePasskey(asked.options);
    return data(api.POST("/api/session/passkeys", { body: { ticket: asked.ticket, name: name.value, passkey } }));
  },
  {
    done: (given) => {
      naming.value = false;
      name.value = "";
      shown(given);
      notice.done("Your passkey opens the school from now on.");
    },
    refreshes: REFRESHES,
  },
);
const forgetPasskey = useAct(
  (id: number) => data(api.DELETE("/api/session/passkeys/{id}", { params: { path: { id } } })),
  { refreshes: REFRESHES },
);
async function without(one: Api["PasskeyOut"]): Promise<void> {
  if (await notice.ask(`Forget ${one.name}?`, "It opens this school no more.", "Forget it", "Not now"))
    forgetPasskey.mutate(one.id);
}
const fresh = useAct(() => data(api.POST("/api/session/recovery-codes")), { done: shown, refreshes: REFRESHES });
</script>

<template>
  <section v-if="steps" class="sheet box" aria-label="Your second step">
    <h2>Your second step</h2>
    <p class="soft">
      With one, a password that somebody has read or guessed opens nothing. It is asked for when you sign in, and once
      more before keys, exports, erasing and helpers.
    </p>
    <RecoveryCodes v-if="codes.length" :codes="codes" @seen="codes = []" />
    <div class="row">
      <div>
        <b>An app that shows codes</b>
        <div class="soft">{{ steps.app ? "It is set up." : "On your telephone; it needs no network." }}</div>
      </div>
      <Button v-if="steps.app" size="small" @click="withoutApp">Ask for none</Button>
      <Button v-else :loading="beginApp.isPending.value" @click="beginApp.mutate()">Set up an app</Button>
    </div>
    <div class="row">
      <div>
        <b>Passkeys</b>
        <div class="soft">
          {{
            steps.no_passkeys ??
            (passkeysHere()
              ? "Your finger, your face, a PIN or a key in your pocket; also without the password."
              : "This browser knows none. Take a newer one.")
          }}
        </div>
      </div>
      <Button v-if="!steps.no_passkeys && passkeysHere()" @click="naming = true">Make a passkey</Button>
    </div>
    <div v-for="one in steps.passkeys" :key="one.id" class="row key">
      <div>
        {{ one.name }}
        <div class="postmark">made {{ one.made }}{{ one.used ? `, used ${one.used}` : ", not used yet" }}</div>
      </div>
      <Button size="small" @click="without(one)">Forget it</Button>
    </div>
    <div v-if="steps.app || steps.passkeys.length" class="row">
      <div>
        <b>Recovery codes</b>
        <div :class="steps.codes < 4 ? 'few' : 'soft'">
          {{ steps.codes === 10 ? "All ten" : steps.codes || "None" }} left, each for one time when telephone and keys
          are lost.
        </div>
      </div>
      <Button size="small" @click="fresh.mutate()">Ten fresh ones</Button>
    </div>
  </section>
  <AskDialog
    :open="app !== null"
    title="An app that shows codes"
    ok="Use it"
    :ready="code.replace(/\s/g, '').length === 6"
    :busy="keepApp.isPending.value"
    @ok="keepApp.mutate()"
    @cancel="app = null"
  >
    <div v-if="app" class="stacked">
      <p>Photograph this with the app, or type the secret below into it.</p>
      <img :src="app.picture" alt="The secret, to be photographed" class="picture" />
      <p class="postmark secret">{{ app.secret.match(/.{1,4}/g)?.join(" ") }}</p>
      <label
        >The code that the app shows now<Input
          v-model:value="code"
          class="postmark"
          autocomplete="one-time-code"
          inputmode="numeric"
          :maxlength="12"
      /></label>
    </div>
  </AskDialog>
  <AskDialog
    v-model:open="naming"
    title="Make a passkey"
    ok="Make it"
    :busy="keepPasskey.isPending.value"
    @ok="keepPasskey.mutate()"
  >
    <div class="stacked">
      <label>What do you call it?<Input v-model:value="name" placeholder="My laptop" :maxlength="100" /></label>
      <p class="soft">Your browser asks next where to keep it.</p>
    </div>
  </AskDialog>
</template>

<style scoped>
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.row {
  display: flex;
  justify-content: space-between;
  align-items: flex-start;
  gap: 14px;
}
.key {
  padding-left: 18px;
}
.few {
  color: var(--red);
}
p {
  margin: 0;
}
.picture {
  width: 220px;
  align-self: center;
}
.secret {
  text-align: center;
  overflow-wrap: anywhere;
}
</style>
