<script setup lang="ts">
import Input from "ant-design-vue/es/input";

import AccountFields from "./AccountFields.vue";
import { BOX_SECURITIES, type Mailbox } from "./mail";

/** A mailbox that is read over IMAP. */
const model = defineModel<Mailbox>({ required: true });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <AccountFields
    v-model="model"
    what="IMAP server"
    security="Security of the mailbox"
    :securities="BOX_SECURITIES"
    @secure="(security) => (model = { ...model, security })"
  >
    <label>Folder<Input :value="model.folder" @input="(e: Event) => (model = { ...model, folder: typed(e) })" /></label>
    <label
      >Move reports to<Input
        :value="model.move_to ?? ''"
        placeholder="leave them, marked as read"
        @input="(e: Event) => (model = { ...model, move_to: typed(e) || null })"
    /></label>
  </AccountFields>
</template>
