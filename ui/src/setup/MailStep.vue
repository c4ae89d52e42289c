<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { ref } from "vue";

import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import { freshServer, writtenServer } from "../school/mail";
import MailTrial from "../school/MailTrial.vue";
import ServerFields from "../school/ServerFields.vue";

/** How letters leave; may be left for later, and then they stay in the mailroom. */
defineProps<{ to: string }>();
const emit = defineEmits<{ done: [] }>();
const server = ref(freshServer());
const keep = useAct(
  () => data(api.PUT("/api/school/mail", { body: { server: writtenServer(server.value), second: null, senders: [] } })),
  { done: () => emit("done") },
);
</script>

<template>
  <div class="fields">
    <h1>How letters leave</h1>
    <p class="soft">
      Your provider of mail names a server, a port, and how you sign in. Until one is filled in, letters go to the
      built-in mailroom, where only you can read them.
    </p>
    <ServerFields v-model="server" />
    <MailTrial :server="server.host ? server : null" :to="to" />
    <div class="line">
      <Button type="primary" :disabled="!server.host" :loading="keep.isPending.value" @click="keep.mutate()"
        >Keep it and go on</Button
      ><button class="link" @click="emit('done')">Later: to the mailroom for now</button>
    </div>
  </div>
</template>

<style scoped>
.fields {
  display: flex;
  flex-direction: column;
  gap: 14px;
}
p {
  margin: 0;
}
.line {
  display: flex;
  gap: 16px;
  align-items: center;
  flex-wrap: wrap;
}
</style>
