<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import { computed, reactive, watch } from "vue";

import { api, type Api, data } from "../api/client";
import PageLinks from "../parts/PageLinks.vue";
import { shownAs } from "../parts/shown-as";

/** Those who fit, with a tick each; `without` are the keys of those taken out by hand. */
const without = defineModel<string[]>("without", { required: true });
const props = defineProps<{ id: string; stamp: string; outlook: number; readonly?: boolean; where: boolean }>();
const emit = defineEmits<{ listed: [items: Api["RecipientOut"][]] }>();
const asked = reactive({ q: "", only: "" as "" | "unticked", page: 1 });
watch(
  () => [asked.q, asked.only],
  () => (asked.page = 1),
);
const { data: page } = useQuery({
  queryKey: ["recipients", computed(() => props.id), computed(() => props.stamp), computed(() => props.outlook), asked],
  queryFn: () =>
    data(
      api.GET("/api/broadcasts/{key}/recipients", {
        params: { path: { key: props.id }, query: { ...asked, outlook: props.outlook } },
      }),
    ),
  placeholderData: keepPreviousData,
});
watch(page, (now) => now && !asked.q && !asked.only && emit("listed", now.items), { immediate: true });
const out = computed(() => new Set(without.value));
function tick(key: string, on: boolean): void {
  without.value = on ? without.value.filter((one) => one !== key) : [...without.value, key];
}
const shown = (one: Api["RecipientOut"]) =>
  out.value.has(one.key) ? "taken out by you" : one.fate === "sent" || !one.fate ? "" : one.why;
</script>

<template>
  <div>
    <div class="tools">
      <Input
        v-model:value="asked.q"
        placeholder="Find among them"
        aria-label="Find among them"
        allow-clear
        style="width: 200px"
      />
      <template v-if="without.length">
        <Button size="small" @click="asked.only = asked.only ? '' : 'unticked'">{{
          asked.only ? "Show all of them" : `Show the ${without.length} taken out`
        }}</Button>
        <Button v-if="!readonly" size="small" type="text" @click="((without = []), (asked.only = ''))"
          >Tick all again</Button
        >
      </template>
    </div>
    <div class="sheet scroll">
      <table class="plain cards">
        <thead>
          <tr>
            <th v-if="!readonly" />
            <th>Student</th>
            <th>Last seen</th>
            <th>{{ where ? "That is, where they live" : "At" }}</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="one in page?.items ?? []"
            :key="one.key"
            :class="{ off: out.has(one.key), now: one.key === shownAs, no: one.fate === 'not' }"
            @click="shownAs = one.key"
          >
            <td v-if="!readonly" class="tick">
              <Checkbox
                :checked="!out.has(one.key)"
                :aria-label="`Write to ${one.name}`"
                @change="(e) => tick(one.key, e.target.checked)"
                @click.stop
              />
            </td>
            <td class="who">
              <bdi>{{ one.name }}</bdi>
              <div class="label address">{{ one.email }}</div>
            </td>
            <td class="postmark nowrap">{{ one.last_seen ?? "never" }}</td>
            <td class="nowrap">
              <span class="postmark">{{ one.when }}</span>
              <div class="label">{{ one.place }}</div>
            </td>
            <td class="why" :class="one.fate ?? ''">{{ shown(one) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="page && !page.items.length" class="soft none">
        {{ asked.q ? "Nobody like that among them." : "Nobody fits these conditions." }}
      </p>
    </div>
    <PageLinks v-if="page" v-model="asked.page" :total="page.total" class="pages" />
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 8px;
  flex-wrap: wrap;
}
.scroll {
  overflow-x: auto;
  max-height: 520px;
  overflow-y: auto;
}
.pages {
  margin-top: 10px;
}
.none {
  padding: 14px;
  margin: 0;
}
table.plain td {
  padding: 6px 12px;
}
.tick {
  width: 1%;
}
.who {
  max-width: 190px;
}
.address {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.nowrap {
  white-space: nowrap;
}
tr {
  cursor: pointer;
}
.off td:not(.tick) {
  color: #7b8994;
}
.off .label {
  color: #7b8994;
}
tr.now {
  background: var(--act-bg);
}
.no td {
  background: var(--sheet2);
}
.why {
  font-size: 13px;
  color: var(--soft);
}
.why.later,
.why.mend,
.why.waits {
  color: var(--warn);
}
</style>
