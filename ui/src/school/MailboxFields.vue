<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";

import type { Mailbox } from "./mail";

/** A mailbox that is read over IMAP. */
const model = defineModel<Mailbox>({ required: true });
const set = (part: Partial<Mailbox>) => (model.value = { ...model.value, ...part });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
const SECURITIES = [
  { value: "tls", label: "TLS from the start (usually port 993)" },
  { value: "starttls", label: "STARTTLS (usually port 143)" },
  { value: "none", label: "No security (only on this machine)" },
];
</script>

<template>
  <div class="mailbox">
    <label class="wide"
      >IMAP server<Input
        :value="model.host"
        placeholder="mail.example.com"
        :maxlength="300"
        spellcheck="false"
        @input="(e: Event) => set({ host: typed(e).trim() })"
    /></label>
    <label
      >Security<Select
        v-named="'Security of the mailbox'"
        :value="model.security"
        :options="SECURITIES"
        @change="(value) => set({ security: value as Mailbox['security'] })"
    /></label>
    <label
      >Port<InputNumber
        :value="model.port"
        :min="1"
        :max="65535"
        @change="(value) => set({ port: Number(value) || model.port })"
    /></label>
    <label
      >User name<Input
        :value="model.user"
        autocomplete="off"
        spellcheck="false"
        @input="(e: Event) => set({ user: typed(e) })"
    /></label>
    <label
      >Password<Input
        :value="model.password"
        type="password"
        autocomplete="new-password"
        :placeholder="model.has_password ? 'kept; write here to replace it' : ''"
        @input="(e: Event) => set({ password: typed(e) })"
    /></label>
    <label>Folder<Input :value="model.folder" @input="(e: Event) => set({ folder: typed(e) })" /></label>
    <label
      >Move reports to<Input
        :value="model.move_to ?? ''"
        placeholder="leave them, marked as read"
        @input="(e: Event) => set({ move_to: typed(e) || null })"
    /></label>
  </div>
</template>

<style scoped>
.mailbox {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 10px 14px;
}
.wide {
  grid-column: 1 / -1;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
  min-width: 0;
}
.mailbox :deep(.ant-input-number) {
  width: 100%;
}
@media (max-width: 480px) {
  .mailbox {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
