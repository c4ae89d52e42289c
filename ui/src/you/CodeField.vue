<script setup lang="ts">
import Input from "ant-design-vue/es/input";

/** Where a code of the app, or a recovery code, is typed. */
const code = defineModel<string>({ required: true });
</script>

<template>
  <label
    >The code that your app shows, or a recovery code<Input
      v-model:value="code"
      class="postmark"
      autocomplete="one-time-code"
      :maxlength="60"
      autofocus
  /></label>
</template>
