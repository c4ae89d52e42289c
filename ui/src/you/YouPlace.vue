<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";

import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import PageHead from "../parts/PageHead.vue";
import NewPassword from "./NewPassword.vue";
import SecondSteps from "./SecondSteps.vue";

/** What concerns oneself alone: the password, the second step, and where one is signed in. */
const { data: sessions } = useQuery({
  queryKey: ["sessions"],
  queryFn: () => data(api.GET("/api/session/all")),
});
const end = useAct((id: string) => data(api.DELETE("/api/session/all/{id}", { params: { path: { id } } })), {
  refreshes: ["sessions"],
});
</script>

<template>
  <PageHead title="You" />
  <div class="room">
    <section class="sheet box" aria-label="Where you are signed in">
      <h2>Where you are signed in</h2>
      <table v-if="sessions" class="plain cards">
        <thead>
          <tr>
            <th>With</th>
            <th>From</th>
            <th>Since</th>
            <th>Last used</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in sessions" :key="one.id">
            <td>{{ one.program || "an unknown program" }}</td>
            <td class="postmark">{{ one.place || "unknown" }}</td>
            <td class="postmark">{{ one.began }}</td>
            <td class="postmark">{{ one.seen ?? "" }}</td>
            <td>
              <span v-if="one.this" class="soft">here</span
              ><Button v-else size="small" @click="end.mutate(one.id)">Sign out there</Button>
            </td>
          </tr>
        </tbody>
      </table>
      <p class="soft">A sign-in from where you never were before is told to you by letter.</p>
    </section>
    <SecondSteps />
    <NewPassword />
  </div>
</template>

<style scoped>
.postmark {
  white-space: nowrap;
}
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 18px;
  max-width: 820px;
}
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
p {
  margin: 0;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
