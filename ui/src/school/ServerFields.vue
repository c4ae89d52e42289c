<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";

import { SECURITIES, secured, type Server } from "./mail";

/** Where letters are handed over, and how fast. */
const model = defineModel<Server>({ required: true });
defineProps<{ disabled?: boolean }>();
const set = (part: Partial<Server>) => (model.value = { ...model.value, ...part });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
const many = (value: unknown) => (value ? Number(value) : null);
</script>

<template>
  <div class="server">
    <label class="wide"
      >Server<Input
        :value="model.host"
        :disabled="disabled"
        placeholder="mail.example.com"
        :maxlength="300"
        spellcheck="false"
        @input="(e: Event) => set({ host: typed(e).trim() })"
    /></label>
    <label
      >Security<Select
        v-named="'Security'"
        :value="model.security"
        :disabled="disabled"
        :options="SECURITIES"
        @change="(value) => (model = secured(model, value as Server['security']))"
    /></label>
    <label
      >Port<InputNumber
        :value="model.port"
        :disabled="disabled"
        :min="1"
        :max="65535"
        @change="(value) => set({ port: Number(value) || model.port })"
    /></label>
    <label
      >User name<Input
        :value="model.user"
        :disabled="disabled"
        autocomplete="off"
        spellcheck="false"
        @input="(e: Event) => set({ user: typed(e) })"
    /></label>
    <label
      >Password<Input
        :value="model.password"
        :disabled="disabled"
        type="password"
        autocomplete="new-password"
        :placeholder="model.has_password ? 'kept; write here to replace it' : ''"
        @input="(e: Event) => set({ password: typed(e) })"
    /></label>
    <label
      >At most a minute<InputNumber
        :value="model.a_minute ?? undefined"
        :disabled="disabled"
        :min="1"
        :max="100000"
        placeholder="no limit"
        @change="(value) => set({ a_minute: many(value) })"
    /></label>
    <label
      >At most a day<InputNumber
        :value="model.a_day ?? undefined"
        :disabled="disabled"
        :min="1"
        :max="1000000"
        placeholder="no limit"
        @change="(value) => set({ a_day: many(value) })"
    /></label>
  </div>
</template>

<style scoped>
.server {
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
.server :deep(.ant-input-number) {
  width: 100%;
}
@media (max-width: 480px) {
  .server {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
