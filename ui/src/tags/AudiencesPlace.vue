<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import WhoLines from "../broadcasts/WhoLines.vue";
import type { Condition } from "../conditions/conditions";
import { useAct } from "../parts/act";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { shownAs } from "../parts/shown-as";
import StudentPick from "../parts/StudentPick.vue";

const client = useQueryClient();
const router = useRouter();
const notice = useNotice();
const { data: audiences } = useQuery({ queryKey: ["audiences"], queryFn: () => data(api.GET("/api/audiences")) });
const open = ref<string | null>(null);
const draft = ref<{ name: string; condition: Condition | null }>({ name: "", condition: null });
function show(one: Api["AudienceOut"]): void {
  open.value = open.value === one.key ? null : one.key;
  draft.value = { name: one.name, condition: one.condition };
}
const after = () => void client.invalidateQueries();
const save = useAct(
  () =>
    data(
      api.PUT("/api/audiences/{key}", {
        params: { path: { key: open.value ?? "" } },
        body: { name: draft.value.name, condition: draft.value.condition ?? { all: [] } },
      }),
    ),
  {
    done: () => {
      notice.done("Saved. What has copied it before stays as it is, and says so.");
      after();
    },
    refreshes: [],
  },
);
const make = useAct(
  () => data(api.POST("/api/audiences", { body: { name: "New audience", condition: { all: [] } } })),
  {
    done: (one) => {
      after();
      show(one);
    },
    refreshes: [],
  },
);
const forget = useAct((key: string) => data(api.DELETE("/api/audiences/{key}", { params: { path: { key } } })), {
  done: () => {
    open.value = null;
    after();
  },
  refreshes: [],
});
const write = useAct(
  (one: Api["AudienceOut"]) =>
    data(api.POST("/api/broadcasts", { body: { name: `To ${one.name}`, letter: null, to: null, audience: one.key } })),
  { done: ({ key }) => router.push(`/broadcasts/${key}`), refreshes: [] },
);
const { data: why } = useQuery({
  queryKey: ["audience-why", computed(() => draft.value.condition), shownAs],
  queryFn: () =>
    data(
      api.POST("/api/audiences/why", {
        body: { condition: draft.value.condition ?? { all: [] }, student: shownAs.value },
      }),
    ),
  enabled: computed(() =>
    Boolean(
      open.value && draft.value.condition && shownAs.value && !JSON.stringify(draft.value.condition).includes('""'),
    ),
  ),
});
</script>

<template>
  <PageHead title="Audiences" :above="{ to: '/students', name: 'Students' }"
    ><template #beside><span class="soft wide-only">Conditions under a name. Using one copies them.</span></template
    ><Button type="primary" :loading="make.isPending.value" @click="make.mutate()">New audience</Button></PageHead
  >
  <div class="room">
    <article v-for="one in audiences ?? []" :key="one.key" class="sheet one">
      <header>
        <button class="name" :aria-expanded="open === one.key" @click="show(one)">{{ one.name }}</button><RouterLink
          :to="{ path: '/students', query: { audience: one.key } }"
          class="postmark count"
          >{{ one.students }} {{ one.students === 1 ? "student" : "students" }}</RouterLink
        >
        <Button size="small" @click="write.mutate(one)">Write to them</Button>
      </header>
      <p v-if="open !== one.key" class="soft">{{ one.lines.join(" · ") || "everyone" }}</p>
      <div v-else class="edit">
        <label class="line"
          >Name <Input v-model:value="draft.name" aria-label="Name of the audience" style="max-width: 340px"
        /></label>
        <WhoLines v-model="draft.condition" :course="null" />
        <div class="why">
          <div class="line">
            <b>Why is</b>{{ " " }}<StudentPick v-model="shownAs" label="Why is this student in or out" />{{ " "
            }}<b v-if="why">{{ why.holds ? "in?" : "out?" }}</b>
          </div>
          <ul v-if="why">
            <li v-for="line in why.lines" :key="line.words" :class="{ no: !line.holds }">
              <span class="mark">{{ line.holds ? "yes" : "no" }}</span> {{ line.words }}
              <span class="soft">({{ line.own }})</span>
            </li>
          </ul>
        </div>
        <div class="line">
          <Button type="primary" :loading="save.isPending.value" @click="save.mutate()">Save</Button
          ><Button type="text" danger @click="forget.mutate(one.key)">Forget this audience</Button>
        </div>
      </div>
    </article>
    <EmptyState v-if="audiences && !audiences.length" title="No audience yet"
      >Keep the conditions of a broadcast or of the list of students under a name, and use them again.</EmptyState
    >
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.one {
  padding: 10px 14px;
}
.one header {
  display: flex;
  gap: 14px;
  align-items: baseline;
  flex-wrap: wrap;
}
.name {
  background: none;
  border: 0;
  padding: 0;
  font: 600 15px var(--title);
  color: var(--ink);
  cursor: pointer;
  text-align: left;
}
.name:hover {
  text-decoration: underline;
}
.count {
  margin-left: auto;
}
.one > p {
  margin: 3px 0 0;
}
.edit {
  display: flex;
  flex-direction: column;
  gap: 12px;
  margin-top: 10px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.why {
  border-top: 1px solid var(--rule2);
  padding-top: 10px;
}
.why ul {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}
.why li {
  padding: 2px 0;
}
.mark {
  display: inline-block;
  width: 32px;
  font-weight: 600;
  color: var(--well);
}
.no .mark {
  color: var(--red);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
