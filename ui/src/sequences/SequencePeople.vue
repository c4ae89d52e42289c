<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Modal from "ant-design-vue/es/modal";
import Segmented from "ant-design-vue/es/segmented";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import PageLinks from "../parts/PageLinks.vue";

/** A sequence as a whole: who is inside, finished or left, and what became of each of its letters, to be sorted. */
type Group = "inside" | "finished" | "left";
const props = defineProps<{ id: string }>();
const group = defineModel<"" | Group>("group", { required: true });
const emit = defineEmits<{ close: [] }>();
const page = ref(1);
watch(group, () => (page.value = 1));
const { data: people } = useQuery({
  queryKey: ["sequence-people", computed(() => props.id), group, page],
  queryFn: () =>
    data(
      api.GET("/api/sequences/{key}/people", {
        params: { path: { key: props.id }, query: { group: group.value as Group, page: page.value } },
      }),
    ),
  placeholderData: keepPreviousData,
});
const { data: letters } = useQuery({
  queryKey: ["sequence-letters", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}/letters", { params: { path: { key: props.id } } })),
});
const COLUMNS = [
  ["posted", "Sent"],
  ["opened", "Opened"],
  ["clicked", "Clicked"],
  ["answered", "Answered"],
  ["stopped", "Stopped after it"],
] as const;
const by = ref("");
const figure = (one: Api["LetterLine"], what: string) => one.figures.find((found) => found.what === what);
const worth = (one: Api["LetterLine"]) =>
  by.value === "not"
    ? not(one)
    : by.value === "posted"
      ? (figure(one, "posted")?.number ?? 0)
      : (figure(one, by.value)?.share ?? -1);
const not = (one: Api["LetterLine"]) => one.kept_from.reduce((sum, why) => sum + why.number, 0);
const sorted = computed(() =>
  by.value ? [...(letters.value ?? [])].sort((a, b) => worth(b) - worth(a)) : (letters.value ?? []),
);
const share = (one: Api["Figure"] | undefined) => (one?.share == null ? "" : `${Math.round(100 * one.share)}%`);
</script>

<template>
  <Modal open title="Its letters and its people" :footer="null" width="860px" @cancel="emit('close')">
    <div class="scroll">
      <table v-if="letters?.length" class="plain">
        <thead>
          <tr>
            <th><button class="link head" :aria-pressed="!by" @click="by = ''">Letter, as they follow</button></th>
            <th v-for="[what, label] in COLUMNS" :key="what" class="num">
              <button class="link head" :aria-pressed="by === what" @click="by = what">
                {{ label }}{{ by === what ? " ↓" : "" }}
              </button>
            </th>
            <th>
              <button class="link head" :aria-pressed="by === 'not'" @click="by = 'not'">
                Not posted, and why{{ by === "not" ? " ↓" : "" }}
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in sorted" :key="one.step + one.letter">
            <td>
              <RouterLink :to="{ path: `/letters/${one.letter}/figures`, query: { sequence: id, step: one.step } }">{{
                one.name
              }}</RouterLink>
            </td>
            <td v-for="[what] in COLUMNS" :key="what" class="num postmark">
              {{ figure(one, what)?.number ?? 0 }}
              <div class="label">{{ what === "posted" ? "" : share(figure(one, what)) }}</div>
            </td>
            <td class="why">
              <div v-for="why in one.kept_from" :key="why.sentence">
                <b class="postmark">{{ why.number }}</b> {{ why.sentence }}
              </div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <Segmented
      v-model:value="group"
      class="groups"
      :options="[
        { value: 'inside', label: 'Inside now' },
        { value: 'finished', label: 'Finished' },
        { value: 'left', label: 'Left early' },
      ]"
    />
    <ul v-if="people?.items.length" class="who">
      <li v-for="(one, index) in people.items" :key="index">
        <RouterLink :to="`/students/${one.key}`"
          ><bdi>{{ one.name }}</bdi></RouterLink
        >{{ " " }}<span class="label">since {{ one.since }} · {{ one.where }}</span>
      </li>
    </ul>
    <p v-else-if="people" class="soft">Nobody.</p>
    <PageLinks v-if="people" v-model="page" :total="people.total" />
  </Modal>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.num {
  text-align: right !important;
}
.head {
  color: var(--soft);
  text-decoration: none;
  white-space: nowrap;
}
.head[aria-pressed="true"] {
  color: var(--ink);
  font-weight: 600;
}
.why {
  font-size: 12.5px;
  min-width: 190px;
}
.groups {
  margin: 14px 0 8px;
}
.who {
  max-height: 260px;
  overflow-y: auto;
  padding-left: 18px;
  margin: 0;
}
.who li {
  padding: 2px 0;
}
</style>
