<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Radio from "ant-design-vue/es/radio";
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import DaysLine from "./DaysLine.vue";
import OwnIntake from "./OwnIntake.vue";
import { STATES } from "./states";

const router = useRouter();
const making = ref(false);
const name = ref("");
const speaks = ref<"messages" | "xapi">("messages");
const { data: found } = useQuery({
  queryKey: ["connections"],
  queryFn: () => data(api.GET("/api/connections")),
});
const make = useAct(
  () => data(api.POST("/api/connections", { body: { name: name.value.trim(), speaks: speaks.value } })),
  {
    done: (now) => {
      making.value = false;
      name.value = "";
      void router.push(`/school/connections/${now.key}`);
    },
  },
);
const open = (one: Api["ConnectionLine"]) => void router.push(`/school/connections/${one.key}`);
</script>

<template>
  <PageHead title="Connections" :above="{ to: '/school', name: 'School' }">
    <Button type="primary" @click="making = true">Connect something</Button>
  </PageHead>
  <AskDialog
    v-model:open="making"
    title="What do you connect?"
    ok="Connect it"
    :ready="!!name.trim()"
    :busy="make.isPending.value"
    @ok="make.mutate()"
  >
    <label>What you call it<Input v-model:value="name" placeholder="My shop" :maxlength="100" /></label>
    <Radio.Group v-model:value="speaks" class="choices">
      <Radio value="messages">It sends messages of its own (most shops, course sites and forms)</Radio>
      <Radio value="xapi">It reports what students learn in xAPI</Radio>
    </Radio.Group>
    <p class="soft">
      Anything that can send a message to an address when something happens: a shop, a course site, a form. It only
      listens at first; nothing is posted before you switch it on.
    </p>
  </AskDialog>
  <div class="room">
    <section v-if="found" class="sheet">
      <table v-if="found.length" class="plain cards">
        <thead>
          <tr>
            <th>Connection</th>
            <th>State</th>
            <th>Last message</th>
            <th>The last 30 days</th>
            <th class="num">Became events</th>
            <th class="num">Not for us</th>
            <th class="num">Refused</th>
            <th class="num">Wait</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in found" :key="one.key" class="opens" @click="open(one)">
            <td>
              <RouterLink :to="`/school/connections/${one.key}`" @click.stop>{{ one.name }}</RouterLink>
              <div v-if="one.silence" class="silent">{{ one.silence }}</div>
            </td>
            <td>
              <span class="pill" :class="STATES[one.state]?.pill">{{ STATES[one.state]?.says }}</span>
            </td>
            <td class="postmark">{{ one.last ?? "none yet" }}</td>
            <td><DaysLine :counts="one.line" /></td>
            <td class="num postmark">{{ one.events }}<span class="small"> became events</span></td>
            <td class="num postmark">{{ one.not_for_us }}<span class="small"> not for us</span></td>
            <td class="num postmark">{{ one.refused }}<span class="small"> refused</span></td>
            <td class="num postmark" :class="{ silent: one.waits }">{{ one.waits }}<span class="small"> wait</span></td>
          </tr>
        </tbody>
      </table>
      <EmptyState v-else title="Nothing is connected yet"
        >Connect your shop, your course site or a form: copy an address into it, let one message come, and click in it
        what is what.</EmptyState
      >
    </section>
    <OwnIntake />
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 18px;
}
.choices {
  display: flex;
  flex-direction: column;
  margin: 10px 0;
}
.num {
  text-align: right;
}
.silent {
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
