<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useCopy } from "../parts/copying";
import { useNotice } from "../parts/notice";
import type { Proof } from "./file";

/** Where messages go, and how they show who sent them; secrets are shown once. */
const proof = defineModel<Proof>("proof", { required: true });
const props = defineProps<{ connection: Api["ConnectionOut"] }>();
const notice = useNotice();
const KINDS = [
  { value: "address", label: "by its address alone (the weakest)" },
  { value: "header", label: "by a secret in a header" },
  { value: "basic", label: "by a name and a password" },
  { value: "hmac", label: "by a signature (HMAC)" },
  { value: "standard_webhooks", label: "by a signature after Standard Webhooks" },
];
const FRESH: Record<string, Proof> = {
  address: { kind: "address" },
  header: { kind: "header", header: "Authorization", prefix: "Bearer " },
  basic: { kind: "basic" },
  hmac: { kind: "hmac", header: "X-Signature", algorithm: "sha256", encoding: "hex", prefix: "" },
  standard_webhooks: { kind: "standard_webhooks" },
};
const set = (part: string, value: unknown) => (proof.value = { ...proof.value, [part]: value });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
const secret = ref("");
const given = ref("");
/** A secret belongs to the proof that is saved, so it is offered once that is. */
const saved = computed(() => JSON.stringify(proof.value) === JSON.stringify(props.connection.file.proof));
const path = computed(() => ({ params: { path: { key: props.connection.key } } }));
const make = useAct(() => data(api.POST("/api/connections/{key}/secret", path.value)), {
  done: (now) => (secret.value = now.secret),
});
const give = useAct(
  () => data(api.PUT("/api/connections/{key}/secret", { ...path.value, body: { secret: given.value.trim() } })),
  {
    done: () => {
      given.value = "";
      notice.done("Kept. The one before holds for another day.");
    },
  },
);
const renew = useAct(() => data(api.POST("/api/connections/{key}/address", path.value)), {
  done: () => notice.done("A new address. The one before holds for another day."),
});
const sayMailbox = useAct((own: boolean) =>
  data(api.PUT("/api/connections/{key}/mailbox", { ...path.value, body: { own } })),
);
const copy = useCopy();
async function askRenew(): Promise<void> {
  if (
    await notice.ask(
      "A new address?",
      "For when somebody has seen it who should not. The one there is holds for another day, so that you can put in the new one.",
      "Make a new address",
      "Keep it",
    )
  )
    renew.mutate();
}
</script>

<template>
  <section class="sheet address" aria-label="Where messages go">
    <div class="row">
      <b>Put this address in there</b>
      <code class="postmark" data-testid="address">{{ connection.address }}</code>
      <Button size="small" type="primary" @click="copy(connection.address)">Copy</Button>
      <button class="link label" @click="askRenew">New address</button>
    </div>
    <p v-if="proof.kind === 'basic'" class="soft more">
      Where a course site asks for an xAPI endpoint, it is this address with <code class="postmark">/xapi</code> behind
      it; the name it signs in with can be any, the password is the secret.
    </p>
    <div class="row">
      <span class="soft">Messages show who sent them</span>
      <Select
        v-named="'How messages show who sent them'"
        class="kind"
        :value="proof.kind"
        :options="KINDS"
        @change="(kind) => (proof = FRESH[String(kind)] ?? { kind: 'address' })"
      />
      <template v-if="proof.kind === 'header' || proof.kind === 'hmac'">
        <label
          >in the header<Input
            size="small"
            :value="String(proof.header ?? '')"
            @change="(event: Event) => set('header', typed(event))"
        /></label>
        <label
          >behind the words<Input
            size="small"
            :value="String(proof.prefix ?? '')"
            placeholder="nothing"
            @change="(event: Event) => set('prefix', typed(event))"
        /></label>
      </template>
      <template v-if="proof.kind === 'hmac'">
        <label
          >made with<Select
            v-named="'Algorithm'"
            size="small"
            :value="String(proof.algorithm)"
            :options="['sha1', 'sha256', 'sha512'].map((one) => ({ value: one, label: one.toUpperCase() }))"
            @change="(now) => set('algorithm', now)"
        /></label>
        <label
          >written as<Select
            v-named="'Encoding'"
            size="small"
            :value="String(proof.encoding)"
            :options="[
              { value: 'hex', label: 'hex digits' },
              { value: 'base64', label: 'Base64' },
            ]"
            @change="(now) => set('encoding', now)"
        /></label>
        <label
          >with a time in the header<Input
            size="small"
            :value="String(proof.timestamp_header ?? '')"
            placeholder="no time"
            @change="(event: Event) => set('timestamp_header', typed(event) || null)"
        /></label>
        <template v-if="proof.timestamp_header">
          <label
            >joined by<Input
              size="small"
              :value="String(proof.join ?? '.')"
              @change="(event: Event) => set('join', typed(event))"
          /></label>
          <label
            >at most so many seconds off<InputNumber
              size="small"
              :min="1"
              :max="86400"
              :value="Number(proof.tolerance ?? 300)"
              @change="(now) => set('tolerance', Number(now) || 300)"
          /></label>
        </template>
      </template>
    </div>
    <div v-if="proof.kind !== 'address'" class="row">
      <template v-if="secret">
        <span class="soft">Put this secret in there now; it is not shown again:</span>
        <code class="postmark" data-testid="secret">{{ secret }}</code>
        <Button size="small" @click="copy(secret)">Copy</Button>
      </template>
      <template v-else-if="saved">
        <span :class="{ needed: !connection.has_secret }">{{
          connection.has_secret ? "It has a secret." : "It needs a secret:"
        }}</span>
        <Button size="small" :loading="make.isPending.value" @click="make.mutate()">{{
          connection.has_secret ? "Make a new one" : "Make one"
        }}</Button>
        <span class="soft">or take one that was made there</span>
        <Input
          v-model:value="given"
          size="small"
          type="password"
          autocomplete="off"
          aria-label="A secret that was made there"
          class="given"
        />
        <Button size="small" :disabled="given.trim().length < 8" @click="give.mutate()">Keep it</Button>
      </template>
      <span v-else class="soft">Save this first; then the secret is made.</span>
    </div>
    <details class="mails" :open="connection.own_mailbox">
      <summary class="label">Does it only write mails?</summary>
      <p class="soft">
        A mail program can hand each mail to <code class="postmark">{{ connection.address }}/mail</code
        ><template v-if="connection.mail_folder"
          >, or put it into the folder <code class="postmark">{{ connection.mail_folder }}</code> on the
          server</template
        >. It becomes a message with its sender, subject, text and lines.
      </p>
      <Checkbox :checked="connection.own_mailbox" @change="(e) => sayMailbox.mutate(Boolean(e.target.checked))"
        >The mailbox these come from is mine alone: nobody else can put a mail there</Checkbox
      >
      <p class="soft">
        Without your word, mails are taken only from a program that shows a secret or a signature, since anybody can
        write a mail{{ connection.mail_folder ? ", and those in the folder wait there" : "" }}.
      </p>
    </details>
    <p v-if="connection.refused" class="refused">Last refused, {{ connection.refused }}</p>
  </section>
</template>

<style scoped>
.address {
  padding: 12px 14px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 12px;
  align-items: center;
}
code {
  background: var(--sheet2);
  border: 1px solid var(--rule2);
  border-radius: 4px;
  padding: 2px 8px;
  overflow-wrap: anywhere;
  min-width: 0;
}
.kind {
  min-width: 270px;
}
label {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  color: var(--soft);
}
label :deep(input) {
  width: 150px;
}
.given {
  width: 190px;
}
.more,
.mails p {
  margin: 0;
}
.needed,
.refused {
  color: var(--warn);
}
.refused {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
