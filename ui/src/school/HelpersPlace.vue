<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { ref } from "vue";

import { api, type Api, data } from "../api/client";
import { ROLES } from "../api/rights";
import OnceShown from "../destinations/OnceShown.vue";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";

type Role = Api["RoleIn"]["role"];
const notice = useNotice();
const { data: found } = useQuery({ queryKey: ["helpers"], queryFn: () => data(api.GET("/api/helpers")) });
const asking = ref(false);
const fresh = ref<{ email: string; role: Role }>({ email: "", role: "writer" });
const link = ref("");
const invite = useAct(() => data(api.POST("/api/helpers/invitations", { body: fresh.value })), {
  done: (made) => {
    asking.value = false;
    link.value = made.link;
    notice.done(
      made.posted
        ? `A letter with the link is on its way to ${fresh.value.email}.`
        : "No letter went to them: give them the link yourself.",
    );
    fresh.value = { email: "", role: "writer" };
  },
  refreshes: ["helpers"],
});
const takeBack = useAct(
  (id: number) => data(api.DELETE("/api/helpers/invitations/{id}", { params: { path: { id } } })),
  { refreshes: ["helpers"] },
);
const change = useAct(
  ({ id, role }: { id: number; role: Role }) =>
    data(api.PUT("/api/helpers/{id}", { params: { path: { id } }, body: { role } })),
  { done: () => notice.done("Their role has changed, from their next click on."), refreshes: ["helpers"] },
);
const remove = useAct((id: number) => data(api.DELETE("/api/helpers/{id}", { params: { path: { id } } })), {
  refreshes: ["helpers"],
});
async function letGo(one: Api["HelperOut"]): Promise<void> {
  const said = `${one.name} is signed out everywhere at once and may not sign in again. What they wrote stays.`;
  if (await notice.ask(`Let ${one.name} go?`, said, "Let them go", "Not now")) remove.mutate(one.id);
}
const forgetStep = useAct(
  (id: number) => data(api.DELETE("/api/helpers/{id}/second-step", { params: { path: { id } } })),
  { done: () => notice.done("They sign in with the password alone now, and were told."), refreshes: ["helpers"] },
);
async function withoutStep(one: Api["HelperOut"]): Promise<void> {
  const said = "For when telephone and recovery codes are lost. Be sure that it is them who asks.";
  if (await notice.ask(`Take ${one.name}'s second step away?`, said, "Take it away", "Not now"))
    forgetStep.mutate(one.id);
}
const titled = (role: string) => ROLES.find((one) => one.value === role)?.label ?? role;
const says = (role: string) => ROLES.find((one) => one.value === role)?.says ?? "";
</script>

<template>
  <PageHead title="Helpers" :above="{ to: '/school', name: 'School' }"
    ><Button type="primary" @click="asking = true">Let somebody in</Button></PageHead
  >
  <AskDialog
    v-model:open="asking"
    title="Who may come in?"
    ok="Invite them"
    :ready="fresh.email.includes('@')"
    :busy="invite.isPending.value"
    @ok="invite.mutate()"
  >
    <div class="stacked">
      <label>Their e-mail address<Input v-model:value="fresh.email" type="email" :maxlength="320" /></label>
      <label>They are<Select v-model:value="fresh.role" v-named="'Role'" :options="ROLES" /></label>
      <p class="soft">A {{ titled(fresh.role).toLowerCase() }} {{ says(fresh.role) }}.</p>
    </div>
  </AskDialog>
  <div v-if="found" class="room">
    <OnceShown v-if="link" says="Their link, shown this once:" :value="link" @seen="link = ''" />
    <section class="sheet" aria-label="Those who may sign in">
      <table class="plain cards">
        <thead>
          <tr>
            <th>Name</th>
            <th>Address</th>
            <th>Role</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in found.helpers" :key="one.id">
            <td>{{ one.name }}</td>
            <td class="address">{{ one.email }}</td>
            <td>
              <template v-if="one.you">{{ titled(one.role) }}</template><Select
                v-else
                v-named="`Role of ${one.name}`"
                :value="one.role as Role"
                :options="ROLES"
                class="role"
                @change="(role) => change.mutate({ id: one.id, role: role as Role })"
              />
              <div class="label">{{ says(one.role) }}{{ one.second_step ? "; with a second step" : "" }}</div>
            </td>
            <td>
              <span v-if="one.you" class="soft">you</span
              ><template v-else
                ><Button size="small" @click="letGo(one)">Let them go</Button
                ><button v-if="one.second_step" class="link" @click="withoutStep(one)">
                  Take the second step away
                </button></template
              >
            </td>
          </tr>
          <tr v-for="one in found.invitations" :key="`invited ${one.id}`">
            <td class="soft">invited {{ one.made }}</td>
            <td>{{ one.email }}</td>
            <td>
              {{ titled(one.role) }}
              <div class="label">{{ says(one.role) }}</div>
            </td>
            <td><Button size="small" @click="takeBack.mutate(one.id)">Take back</Button></td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 18px;
  max-width: 980px;
}
p {
  margin: 0;
}
.address {
  min-width: 220px;
}
.role {
  min-width: 130px;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
