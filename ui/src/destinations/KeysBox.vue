<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import OnceShown from "./OnceShown.vue";
import ShelfBox from "./ShelfBox.vue";

/** Keys with which programs come in: what each may do, when it was used last; one can be ended at once. */
type Scope = Api["ApiKeyOut"]["scopes"][number];
const SCOPES: [Scope, string][] = [
  ["read", "read students and figures"],
  ["report", "report events"],
  ["change", "change tags and enrolments"],
];
const SAYS = Object.fromEntries(SCOPES);
const notice = useNotice();
const { data: keys } = useQuery({ queryKey: ["api-keys"], queryFn: () => data(api.GET("/api/api-keys")) });
const open_ones = computed(() => (keys.value ?? []).filter((one) => !one.ended));
const ended = computed(() => (keys.value ?? []).filter((one) => one.ended));
const making = ref(false);
const name = ref("");
const scopes = ref<Scope[]>(["read"]);
const made = ref("");
const make = useAct(
  () => data(api.POST("/api/api-keys", { body: { name: name.value.trim(), scopes: scopes.value } })),
  {
    done: (now) => {
      made.value = now.key;
      making.value = false;
      name.value = "";
      scopes.value = ["read"];
    },
  },
);
const end = useAct((id: number) => data(api.DELETE("/api/api-keys/{id}", { params: { path: { id } } })), {
  done: () => notice.done("Ended. It opens nothing any more."),
});
async function askEnd(one: Api["ApiKeyOut"]): Promise<void> {
  const said = "The program that uses it is turned away from this moment on. A key that has been ended stays so.";
  if (await notice.ask(`End “${one.name}”?`, said, "End it", "Keep it")) end.mutate(one.id);
}
</script>

<template>
  <ShelfBox title="Keys of programs" act="Make a key" @act="making = true">
    <p class="soft">
      With a key a program reads students and figures, reports events or changes tags and enrolments. None posts a
      letter by itself: what goes out is up to your sequences.
    </p>
    <OnceShown
      v-if="made"
      says="Put this key into the program now; it is not shown again:"
      :value="made"
      @seen="made = ''"
    />
    <table v-if="open_ones.length" class="plain cards">
      <thead>
        <tr>
          <th>Key</th>
          <th>May</th>
          <th>Used last</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in open_ones" :key="one.id">
          <td>
            {{ one.name }} <span class="postmark soft">{{ one.begins }}…</span>
          </td>
          <td>{{ one.scopes.map((scope) => SAYS[scope]).join("; ") }}</td>
          <td class="postmark">{{ one.used ?? "never used" }}</td>
          <td class="num"><Button size="small" @click="askEnd(one)">End it</Button></td>
        </tr>
      </tbody>
    </table>
    <details v-if="ended.length">
      <summary class="label">Ended</summary>
      <ul>
        <li v-for="one in ended" :key="one.id">
          {{ one.name }} <span class="postmark soft">{{ one.begins }}… ended {{ one.ended }}</span>
        </li>
      </ul>
    </details>
    <AskDialog
      v-model:open="making"
      title="A key for which program?"
      ok="Make the key"
      :ready="!!name.trim() && scopes.length > 0"
      :busy="make.isPending.value"
      @ok="make.mutate()"
    >
      <label>What you call it<Input v-model:value="name" placeholder="My dashboard" :maxlength="100" /></label>
      <Checkbox.Group v-model:value="scopes" class="scopes">
        <Checkbox v-for="[scope, says] in SCOPES" :key="scope" :value="scope">It may {{ says }}</Checkbox>
      </Checkbox.Group>
    </AskDialog>
  </ShelfBox>
</template>

<style scoped>
.num {
  text-align: right;
}
.scopes {
  display: flex;
  flex-direction: column;
  margin-top: 10px;
}
</style>
