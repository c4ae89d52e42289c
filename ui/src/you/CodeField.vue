<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { onMounted, ref } from "vue";

/** Where a code of the app, or a recovery code, is typed. */
const code = defineModel<string>({ required: true });
const field = ref<{ focus: () => void }>();
onMounted(() => field.value?.focus());
</script>

<template>
  <label
    >The code that your app shows, or a recovery code<Input
      ref="field"
      v-model:value="code"
      class="postmark"
      autocomplete="one-time-code"
      :maxlength="60"
  /></label>
</template>
