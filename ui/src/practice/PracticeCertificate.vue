<script setup lang="ts">
import { useMutation, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";

import { rooted } from "../api/base";
import { api, type Api, data } from "../api/client";
import { useNotice } from "../parts/notice";

/** The certificate of a course, from both sides: what the student can open and do, and what the owner does about it. */
const props = defineProps<{ one: Api["CertificateHere"]; student: string }>();
const client = useQueryClient();
const notice = useNotice();
const settled = (said: string) => {
  notice.done(said);
  void client.invalidateQueries();
};
const onError = (error: unknown) => notice.refused(error);
const approve = useMutation({
  mutationFn: () =>
    data(
      api.POST("/api/approvals/approve", { body: { items: [{ student: props.student, course: props.one.course }] } }),
    ),
  onSuccess: () => settled("Approved."),
  onError,
});
const back = useMutation({
  mutationFn: () =>
    data(api.POST("/api/certificates/{code}/take-back", { params: { path: { code: props.one.code ?? "" } } })),
  onSuccess: () => settled("Taken back. Check it again."),
  onError,
});
const SAYS: Record<string, string> = {
  open: "not finished yet",
  ready: "finished; none asked for",
  asked: "waits for the owner",
  issued: "issued",
};
</script>

<template>
  <div class="certificate">
    <span
      ><b>Certificate</b>{{ " "
      }}<span class="label">{{ one.taken_back ? "taken back" : SAYS[one.standing] }}</span></span
    >
    <span class="acts">
      <template v-if="one.standing === 'issued'"
        ><a :href="rooted(`/certificate/${one.code}/yours`)" target="_blank" rel="noopener">Open it</a
        ><a v-if="one.name_page" :href="one.name_page" target="_blank" rel="noopener"
          >Say how my name is printed</a
        ></template
      >
      <a v-else-if="one.claim_page" :href="one.claim_page" target="_blank" rel="noopener">Ask for it</a>
      <a v-if="one.code" :href="rooted(`/certificate/${one.code}`)" target="_blank" rel="noopener">Check it</a>
      <Button v-if="one.standing === 'issued'" size="small" type="text" @click="back.mutate()"
        >As the owner: take it back</Button
      >
      <Button v-if="one.standing === 'asked'" size="small" @click="approve.mutate()">As the owner: approve it</Button>
    </span>
  </div>
</template>

<style scoped>
.certificate {
  display: flex;
  justify-content: space-between;
  gap: 8px 14px;
  flex-wrap: wrap;
  align-items: center;
  border-top: 1px solid var(--rule2);
  padding: 8px 0 0;
  margin-top: 10px;
}
.acts {
  display: flex;
  gap: 14px;
  flex-wrap: wrap;
  align-items: center;
}
a {
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
