<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { counted } from "../parts/counted";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";

const router = useRouter();
const making = ref(false);
const name = ref("");
const { data: forms } = useQuery({
  queryKey: ["sign-up-forms"],
  queryFn: () => data(api.GET("/api/sign-up-forms")),
});
const make = useAct(() => data(api.POST("/api/sign-up-forms", { body: { name: name.value.trim() } })), {
  done: (now) => {
    making.value = false;
    name.value = "";
    void router.push(`/school/sign-up/${String(now.body.key)}`);
  },
});
const open = (one: Api["FormLine"]) => void router.push(`/school/sign-up/${one.key}`);
</script>

<template>
  <PageHead title="Sign-up pages" :above="{ to: '/school', name: 'School' }">
    <Button type="primary" @click="making = true">New form</Button>
  </PageHead>
  <AskDialog
    v-model:open="making"
    title="New form"
    ok="Make it"
    :ready="!!name.trim()"
    :busy="make.isPending.value"
    @ok="make.mutate()"
  >
    <label>What is it for?<Input v-model:value="name" placeholder="Varroa Watch" :maxlength="100" /></label>
    <p class="soft">It gets a page of its own, and a piece of HTML for your website. It is closed until you open it.</p>
  </AskDialog>
  <div class="room">
    <section v-if="forms" class="sheet">
      <table v-if="forms.length" class="plain cards">
        <thead>
          <tr>
            <th>Form</th>
            <th>State</th>
            <th>What it sets going</th>
            <th class="num">Signed up</th>
            <th class="num">Not confirmed yet</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in forms" :key="one.key" class="opens" @click="open(one)">
            <td>
              <RouterLink :to="`/school/sign-up/${one.key}`" @click.stop>{{ one.name }}</RouterLink>
            </td>
            <td>
              <span class="pill" :class="one.open ? 'running' : ''">{{ one.open ? "Open" : "Closed" }}</span>
            </td>
            <td :class="{ none: !one.runs.length }">
              {{ one.runs.length ? one.runs.join(", ") : "no sequence: nobody hears anything" }}
            </td>
            <td class="num postmark">{{ one.signed_up }}<span class="small"> signed up</span></td>
            <td class="num postmark">
              {{ one.waiting
              }}<span class="small"> {{ counted(one.waiting, "waits", "wait").replace(/^\d+ /, "") }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <EmptyState v-else title="No form yet"
        >Make a form, and people can ask to be written to: on a page of your school's, or on your own
        website.</EmptyState
      >
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
}
.num {
  text-align: right;
}
.none {
  color: var(--warn);
}
.small {
  display: none;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  .small {
    display: inline;
    font-family: var(--text);
  }
}
</style>
