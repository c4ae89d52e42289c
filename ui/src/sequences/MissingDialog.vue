<script setup lang="ts">
import Modal from "ant-design-vue/es/modal";

import type { Api } from "../api/client";

/** Why it can't run yet: each line leads to what it is about. */
defineProps<{ open: boolean; findings: Api["FindingOut"][] }>();
const emit = defineEmits<{ close: []; go: [step: string] }>();
</script>

<template>
  <Modal :open="open" title="Before it can run" :footer="null" @cancel="emit('close')">
    <ul>
      <li v-for="(one, index) in findings" :key="index">
        <button class="link" @click="emit('go', one.step ?? '')">{{ one.sentence }}</button>
      </li>
    </ul>
    <p class="soft">It can be saved as it is at any time.</p>
  </Modal>
</template>

<style scoped>
ul {
  padding-left: 18px;
}
li {
  padding: 3px 0;
}
</style>
