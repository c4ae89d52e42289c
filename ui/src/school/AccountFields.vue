<script setup lang="ts" generic="T extends Account">
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";

import type { Account } from "./mail";

/** Where a server is and how one signs in to it; what else belongs to it comes in the slot. */
const model = defineModel<T>({ required: true });
defineProps<{
  what: string;
  security: string;
  securities: { value: Account["security"]; label: string }[];
  disabled?: boolean;
}>();
const emit = defineEmits<{ secure: [security: Account["security"]] }>();
const set = (part: Partial<Account>) => (model.value = { ...model.value, ...part });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="account">
    <label class="wide"
      >{{ what
      }}<Input
        :value="model.host"
        :disabled="disabled"
        placeholder="mail.example.com"
        :maxlength="300"
        spellcheck="false"
        @input="(e: Event) => set({ host: typed(e).trim() })"
    /></label>
    <label
      >Security<Select
        v-named="security"
        :value="model.security"
        :disabled="disabled"
        :options="securities"
        @change="(value) => emit('secure', value as Account['security'])"
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
    <slot />
  </div>
</template>

<style scoped>
.account {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 10px 14px;
}
.wide {
  grid-column: 1 / -1;
}
.account label,
.account :slotted(label) {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
  min-width: 0;
}
.account :deep(.ant-input-number) {
  width: 100%;
}
@media (max-width: 480px) {
  .account {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
