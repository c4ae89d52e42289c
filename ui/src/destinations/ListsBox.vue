<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { counted } from "../parts/counted";
import { useNotice } from "../parts/notice";
import OnceShown from "./OnceShown.vue";
import ShelfBox from "./ShelfBox.vue";

/** Lists of students that tools fetch as CSV, each at an address of its own. */
type What = Api["FetchedListOut"]["what"];
const WHATS: { value: What; label: string }[] = [
  { value: "finished", label: "those who finished a course" },
  { value: "tag", label: "those with a tag" },
  { value: "audience", label: "an audience" },
];
const notice = useNotice();
const { data: lists } = useQuery({
  queryKey: ["fetched-lists"],
  queryFn: () => data(api.GET("/api/fetched-lists")),
});
const { data: audiences } = useQuery({ queryKey: ["audiences"], queryFn: () => data(api.GET("/api/audiences")) });
const { options } = useThings();
const making = ref(false);
const what = ref<What>("finished");
const of = ref<string>();
watch(what, () => (of.value = undefined));
const choices = computed(() => {
  if (what.value === "audience") return (audiences.value ?? []).map((one) => ({ value: one.key, label: one.name }));
  return options.value[what.value === "finished" ? "course" : "tag"] ?? [];
});
const made = ref("");
const make = useAct(() => data(api.POST("/api/fetched-lists", { body: { what: what.value, of: of.value ?? "" } })), {
  done: (now) => {
    made.value = now.address;
    making.value = false;
    of.value = undefined;
  },
});
const remove = useAct((id: number) => data(api.DELETE("/api/fetched-lists/{id}", { params: { path: { id } } })), {
  done: () => notice.done("Its address leads nowhere any more."),
});
async function askRemove(one: Api["FetchedListOut"]): Promise<void> {
  const said = "Whatever fetches it gets nothing from this moment on. A new list would have another address.";
  if (await notice.ask(`Take away “${one.name}”?`, said, "Take it away", "Keep it")) remove.mutate(one.id);
}
</script>

<template>
  <ShelfBox title="Lists that tools fetch" act="Make a list" @act="making = true">
    <p class="soft">
      A list as CSV at a secret address, for spreadsheets and tools that fetch one. It always says who is on it now, and
      who of them gets news.
    </p>
    <OnceShown
      v-if="made"
      says="Put this address into the tool now; it is not shown again. Whoever has it can read the list:"
      :value="made"
      @seen="made = ''"
    />
    <table v-if="lists?.length" class="plain cards">
      <thead>
        <tr>
          <th>List</th>
          <th class="num">On it now</th>
          <th>Fetched last</th>
          <th />
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in lists" :key="one.id">
          <td>{{ one.name }}</td>
          <td class="num">{{ one.students === null ? "its subject is gone" : counted(one.students, "student") }}</td>
          <td class="postmark">{{ one.fetched ?? "never fetched" }}</td>
          <td class="num"><Button size="small" @click="askRemove(one)">Take it away</Button></td>
        </tr>
      </tbody>
    </table>
    <AskDialog
      v-model:open="making"
      title="Who is on the list?"
      ok="Make the list"
      :ready="!!of"
      :busy="make.isPending.value"
      @ok="make.mutate()"
    >
      <div class="who">
        <Select v-model:value="what" v-named="'Who is on it'" :options="WHATS" />
        <Select
          v-model:value="of"
          v-named="'Which one'"
          show-search
          option-filter-prop="label"
          placeholder="Choose which"
          :options="choices"
        />
      </div>
    </AskDialog>
  </ShelfBox>
</template>

<style scoped>
.num {
  text-align: right;
}
.who {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
</style>
