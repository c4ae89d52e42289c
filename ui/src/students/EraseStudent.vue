<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";

/** Erasing for good, with a sentence to type. */
const open = defineModel<boolean>("open", { required: true });
const props = defineProps<{ student: Api["StudentOut"] }>();
const client = useQueryClient();
const router = useRouter();
const notice = useNotice();
const typed = ref("");
const erase = useMutation({
  mutationFn: () =>
    data(
      api.POST("/api/students/{key}/erase", {
        params: { path: { key: props.student.key } },
        body: { sentence: typed.value },
      }),
    ),
  onSuccess: () => {
    notice.done("Erased.");
    client.removeQueries({ queryKey: ["student", props.student.key] });
    void router.push("/students").then(() => client.invalidateQueries());
  },
  onError: (error) => notice.refused(error),
});
</script>

<template>
  <AskDialog
    v-model:open="open"
    title="Erase this student?"
    ok="Erase for good"
    :busy="erase.isPending.value"
    :ready="typed.trim().toLowerCase() === `erase ${student.email}`.toLowerCase()"
    @ok="erase.mutate()"
  >
    <p>
      Their record, everything they did, every letter to them and what you know of their wishes goes for good, their
      inbox in the mailroom too. What stays are numbers without a person: how many letters of a sequence or a broadcast
      were sent, opened, clicked. Mail that has gone out can't be called back.
    </p>
    <p>If your course site reports them again, they come back as somebody new.</p>
    <label
      >Type <b>erase {{ student.email }}</b
      ><Input v-model:value="typed" aria-label="Sentence to erase"
    /></label>
  </AskDialog>
</template>
