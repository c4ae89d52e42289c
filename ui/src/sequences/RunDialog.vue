<script setup lang="ts">
import Checkbox from "ant-design-vue/es/checkbox";
import { ref, watch } from "vue";

import type { Api } from "../api/client";
import AskDialog from "../parts/AskDialog.vue";

/** Running again after a pause: those who would have come in meanwhile are listed, and come in only if asked for. */
const props = defineProps<{ missed: Api["MissedOut"][] | null; name: string }>();
const emit = defineEmits<{ cancel: []; run: [startMissed: boolean] }>();
const also = ref(false);
watch(() => props.missed, () => (also.value = false));
</script>

<template>
  <AskDialog :open="missed !== null" :title="`Run “${name}”`" ok="Run" cancel="Not yet" @cancel="emit('cancel')" @ok="emit('run', also)">
    <template v-if="missed">
      <p>While it was paused, {{ missed.length }} {{ missed.length === 1 ? "student" : "students" }} would have come in:</p>
      <ul><li v-for="one in missed" :key="one.student + one.at"><RouterLink :to="`/students/${one.student}`">{{ one.name }}</RouterLink> {{ one.what }} <span class="label">{{ one.at }}</span></li></ul>
      <Checkbox v-model:checked="also">Let them come in now</Checkbox>
    </template>
  </AskDialog>
</template>

<style scoped>
ul { max-height: 240px; overflow-y: auto; padding-left: 18px; }
</style>
