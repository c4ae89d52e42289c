<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { onMounted, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { ROLES } from "../api/rights";
import SecondStep from "../frame/SecondStep.vue";
import DoorPage from "../parts/DoorPage.vue";

/** What a link from a letter opens before one has signed in: an invitation, or a new password. */
const props = defineProps<{ kind: "invited" | "new-password" }>();
const emit = defineEmits<{ enter: [session: Api["SessionOut"]] }>();
// Behind the #, so that it is sent to no server and kept in no log.
const key = location.hash.slice(1);
const invitation = ref<Api["InvitationSeen"] | null>(null);
const ended = ref("");
const refused = ref("");
const busy = ref(false);
const name = ref("");
const password = ref("");

onMounted(async () => {
  if (props.kind !== "invited") return;
  try {
    invitation.value = await data(api.POST("/api/invitations/look", { body: { key } }));
  } catch (error) {
    ended.value = (error as Error).message;
  }
});
const step = ref<Api["SecondStep"] | null>(null);
const home = () => location.assign("/");
const accept = (): Promise<Api["SessionOut"] | Api["SecondStep"]> =>
  props.kind === "invited"
    ? data(api.POST("/api/invitations", { body: { key, name: name.value, password: password.value } }))
    : data(api.POST("/api/session/new-password", { body: { key, password: password.value } }));
async function enter(): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    const found = await accept();
    if ("ticket" in found) step.value = found;
    else emit("enter", found);
  } catch (error) {
    refused.value = (error as Error).message;
  }
  busy.value = false;
}
const says = (role: string) => ROLES.find((one) => one.value === role)?.says ?? "";
</script>

<template>
  <SecondStep v-if="step" :step="step" @enter="(session) => emit('enter', session)" @back="home" />
  <DoorPage v-else @send="enter">
    <template v-if="ended">
      <h1>This link does not work</h1>
      <p role="alert">{{ ended }}</p>
      <a href="/">To the school</a>
    </template>
    <template v-else>
      <h1>{{ kind === "invited" ? invitation?.school : "A new password" }}</h1>
      <p v-if="invitation">
        You are invited with <b>{{ invitation.email }}</b>. Here you are one who {{ says(invitation.role) }}.
      </p>
      <label v-if="kind === 'invited'"
        >Your name<Input v-model:value="name" :maxlength="200" autocomplete="name"
      /></label>
      <label
        >A password, of 10 characters or more<Input
          v-model:value="password"
          type="password"
          autocomplete="new-password"
          :maxlength="1000"
      /></label>
      <p v-if="refused" role="alert" class="refused">{{ refused }}</p>
      <Button
        type="primary"
        html-type="submit"
        block
        :loading="busy"
        :disabled="password.length < 10 || (kind === 'invited' && !name.trim())"
        >{{ kind === "invited" ? "Come in" : "Use it from now on" }}</Button
      >
    </template>
  </DoorPage>
</template>
