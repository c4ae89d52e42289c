<script setup lang="ts">
import InputNumber from "ant-design-vue/es/input-number";

import AccountFields from "./AccountFields.vue";
import { SECURITIES, secured, type Server } from "./mail";

/** Where letters are handed over, and how fast. */
const model = defineModel<Server>({ required: true });
defineProps<{ disabled?: boolean }>();
const many = (value: unknown) => (value ? Number(value) : null);
</script>

<template>
  <AccountFields
    v-model="model"
    what="Server"
    security="Security"
    :securities="SECURITIES"
    :disabled="disabled"
    @secure="(security) => (model = secured(model, security))"
  >
    <label
      >At most a minute<InputNumber
        :value="model.a_minute ?? undefined"
        :disabled="disabled"
        :min="1"
        :max="100000"
        placeholder="no limit"
        @change="(value) => (model = { ...model, a_minute: many(value) })"
    /></label>
    <label
      >At most a day<InputNumber
        :value="model.a_day ?? undefined"
        :disabled="disabled"
        :min="1"
        :max="1000000"
        placeholder="no limit"
        @change="(value) => (model = { ...model, a_day: many(value) })"
    /></label>
  </AccountFields>
</template>
