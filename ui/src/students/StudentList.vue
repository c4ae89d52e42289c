<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import CheckboxGroup from "ant-design-vue/es/checkbox/Group";
import Input from "ant-design-vue/es/input";
import { computed, reactive, type Ref, ref, toRef, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import WhoLines from "../broadcasts/WhoLines.vue";
import { type Condition, partsOf } from "../conditions/conditions";
import { useAct } from "../parts/act";
import PageLinks from "../parts/PageLinks.vue";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { useInAddress } from "../parts/in-address";
import PageHead from "../parts/PageHead.vue";
import PickPopover from "../parts/PickPopover.vue";
import BulkActs from "./BulkActs.vue";
import KeepAudience from "./KeepAudience.vue";
import NewStudent from "./NewStudent.vue";

const route = useRoute();
const router = useRouter();
const { things } = useThings();
type Sort = Api["ListIn"]["sort"];
const address = useInAddress({ q: "", sort: "name" as string, down: false, page: 1, only: null as Condition | null });
const asked = reactive({
  q: toRef(address, "q"),
  sort: toRef(address, "sort") as Ref<Sort>,
  down: toRef(address, "down"),
  page: toRef(address, "page"),
});
const condition = computed({ get: () => address.only, set: (now) => (address.only = now) });
const narrowing = ref(address.only !== null);
// An audience is looked at as the conditions it holds.
const { data: audiences } = useQuery({ queryKey: ["audiences"], queryFn: () => data(api.GET("/api/audiences")) });
watch(
  [audiences, () => route.query.audience],
  ([all, key]) => {
    const one = (all as Api["AudienceOut"][] | undefined)?.find((a) => a.key === key);
    if (one) [condition.value, narrowing.value] = [one.condition, true];
  },
  { immediate: true },
);
watch([() => asked.q, condition], () => (asked.page = 1));
const complete = computed(() => !partsOf(condition.value).some((part) => JSON.stringify(part).includes('""')));
const body = computed(() => ({ ...asked, condition: complete.value ? condition.value : null }));
const { data: page, error } = useQuery({
  queryKey: ["student-list", body],
  queryFn: () => data(api.POST("/api/student-list", { body: body.value })),
  placeholderData: keepPreviousData,
});

const COLUMNS = [
  { value: "courses", label: "Courses" },
  { value: "last_seen", label: "Last seen" },
  { value: "time", label: "Their time now" },
  { value: "letters", label: "Letters" },
  { value: "tags", label: "Tags" },
  { value: "joined", label: "Joined" },
  { value: "news", label: "News" },
];
const every = computed(() => [
  ...COLUMNS,
  ...(things.value?.fields ?? []).map((name) => ({ value: `field:${name}`, label: name })),
]);
const columns = ref<string[]>(
  JSON.parse(localStorage.getItem("student-columns") ?? "null") ?? ["courses", "last_seen", "time", "letters"],
);
watch(columns, (now) => localStorage.setItem("student-columns", JSON.stringify(now)));
const label = (name: string) => every.value.find((one) => one.value === name)?.label ?? name;
const SORTS: Record<string, Sort> = { last_seen: "last_seen", joined: "joined" };
function sort(by: Sort): void {
  Object.assign(asked, { sort: by, down: asked.sort === by ? !asked.down : by !== "name", page: 1 });
}
const arrow = (by: Sort) => (asked.sort === by ? (asked.down ? " ↓" : " ↑") : "");

// Chosen one by one, or all that match.
const chosen = ref<string[]>([]);
const all = ref(false);
watch(body, () => (all.value = false));
const here = computed(() => page.value?.items.map((s) => s.key) ?? []);
const allHere = computed(() => here.value.length > 0 && here.value.every((key) => chosen.value.includes(key)));
const tick = (key: string, on: boolean) =>
  (chosen.value = on ? [...chosen.value, key] : chosen.value.filter((one) => one !== key));
const tickAll = (on: boolean) =>
  (chosen.value = on
    ? [...new Set([...chosen.value, ...here.value])]
    : chosen.value.filter((key) => !here.value.includes(key)));
const clear = () => ([chosen.value, all.value] = [[], false]);
const who = computed<Api["Chosen"]>(() =>
  all.value
    ? { keys: null, condition: body.value.condition, q: asked.q }
    : { keys: chosen.value, condition: null, q: "" },
);
const number = computed(() => (all.value ? (page.value?.total ?? 0) : chosen.value.length));

const adding = ref(false);
const keeping = ref(false);
const form = ref({ email: "", first_name: "", last_name: "", timezone: "", news: false });
const create = useAct(
  () => data(api.POST("/api/students", { body: { ...form.value, timezone: form.value.timezone || null } })),
  { done: ({ key }) => router.push(`/students/${key}`) },
);
const value = (fields: Api["ListedOut"]["fields"], column: string) => fields[column.slice(6)] ?? "";
</script>

<template>
  <PageHead title="Students">
    <template #beside
      ><span v-if="page" class="soft" data-testid="total">{{ page.total }}</span></template
    >
    <Input
      v-model:value="asked.q"
      placeholder="Name or address"
      aria-label="Find a student"
      allow-clear
      style="width: 180px"
    />
    <Button :type="narrowing ? 'primary' : 'default'" :ghost="narrowing" @click="narrowing = !narrowing"
      >Conditions{{ partsOf(condition).length ? ` · ${partsOf(condition).length}` : "" }}</Button
    >
    <PickPopover title="Columns" placement="bottomRight"
      ><Button>Columns</Button
      ><template #content><CheckboxGroup v-model:value="columns" :options="every" class="columns" /></template
    ></PickPopover>
    <RouterLink to="/audiences"><Button>Audiences</Button></RouterLink>
    <RouterLink to="/tags"><Button>Tags</Button></RouterLink>
    <RouterLink v-needs="'settings'" to="/import"><Button>Import</Button></RouterLink>
    <Button v-needs="'care'" type="primary" @click="adding = true">Add a student</Button>
  </PageHead>
  <div class="room">
    <WhoLines v-if="narrowing" v-model="condition" :course="null" @keep="keeping = true" />
    <BulkActs
      v-if="number"
      :who="who"
      :number="number"
      :condition="all ? body.condition : null"
      :words="all ? asked.q : ''"
      @clear="clear"
    >
      <Button v-if="!all && page && page.total > here.length && allHere" size="small" type="link" @click="all = true"
        >Choose all {{ page.total }} that match</Button
      >
    </BulkActs>
    <p v-if="error" class="blank" role="alert">▲ {{ error.message }}</p>
    <template v-if="page?.items.length">
      <div class="sheet scroll">
        <table class="plain cards">
          <thead>
            <tr>
              <th class="tick">
                <Checkbox
                  :checked="all || allHere"
                  :indeterminate="!all && !allHere && chosen.length > 0"
                  aria-label="Choose all on this page"
                  @change="(e) => tickAll(e.target.checked)"
                />
              </th>
              <th>
                <button class="sorter" @click="sort('name')">Student{{ arrow("name") }}</button>
              </th>
              <th v-for="column in columns" :key="column" :class="{ num: column === 'letters' }">
                <button v-if="SORTS[column]" class="sorter" @click="sort(SORTS[column]!)">
                  {{ label(column) }}{{ arrow(SORTS[column]!) }}</button
                ><template v-else>{{ label(column) }}</template>
              </th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="s in page.items"
              :key="s.key"
              class="opens"
              :class="{ chosen: all || chosen.includes(s.key) }"
              @click="router.push(`/students/${s.key}`)"
            >
              <td class="tick" @click.stop>
                <Checkbox
                  :checked="all || chosen.includes(s.key)"
                  :disabled="all"
                  :aria-label="`Choose ${s.name}`"
                  @change="(e) => tick(s.key, e.target.checked)"
                />
              </td>
              <td>
                <RouterLink :to="`/students/${s.key}`" class="person" @click.stop
                  ><bdi>{{ s.name }}</bdi></RouterLink
                >
                <div class="label">{{ s.email }}</div>
              </td>
              <td v-for="column in columns" :key="column" :class="{ num: column === 'letters' }">
                <template v-if="column === 'courses'"
                  ><div v-for="c in s.courses" :key="c.course" class="course">
                    <b class="postmark">{{ c.progress }}%</b> {{ c.short }}
                    <span v-if="c.status !== 'active'" class="label">{{ c.status }}</span>
                  </div>
                  <span v-if="!s.courses.length" class="soft">none yet</span></template
                >
                <span v-else-if="column === 'last_seen'" class="postmark nowrap">{{ s.last_seen || "never" }}</span>
                <span v-else-if="column === 'joined'" class="postmark nowrap">{{ s.joined || "not yet" }}</span>
                <span v-else-if="column === 'time'" class="soft"
                  >{{ s.local_time }}<span class="label town">{{ s.place }}</span></span
                >
                <span v-else-if="column === 'letters'" class="postmark">{{ s.letters }}</span>
                <span v-else-if="column === 'news'">{{
                  !s.address_works ? "address does not work" : s.news ? "wants news" : "no news"
                }}</span>
                <span v-else-if="column === 'tags'" class="tags"
                  ><span v-for="tag in s.tags" :key="tag" class="luggage">{{ tag }}</span></span
                >
                <span v-else>{{ value(s.fields, column) }}</span>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <PageLinks v-model="asked.page" :total="page.total" large class="pages" />
    </template>
    <EmptyState v-else-if="page && (asked.q || condition)" title="Nobody like that"
      >Try another name, or fewer conditions.</EmptyState
    >
    <EmptyState v-else-if="page" title="No students yet"
      >They come by themselves when your course site reports a purchase. You can also add one by hand, or
      <RouterLink to="/import">import a file</RouterLink>.</EmptyState
    >
  </div>
  <AskDialog
    v-model:open="adding"
    title="Add a student"
    ok="Add"
    :busy="create.isPending.value"
    :ready="Boolean(form.email.includes('@'))"
    @ok="create.mutate()"
    ><NewStudent v-model="form"
  /></AskDialog>
  <KeepAudience v-model:open="keeping" :condition="condition" />
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.scroll {
  overflow-x: auto;
}
.num {
  text-align: right !important;
}
.nowrap {
  white-space: nowrap;
}
.blank {
  color: var(--warn);
  margin: 0;
}
.person {
  font-weight: 600;
  color: var(--ink);
  text-decoration: none;
}
.course {
  line-height: 1.45;
}
.pages {
  margin-top: 2px;
}
.tick {
  width: 1%;
}
.chosen,
.chosen td {
  background: var(--act-bg);
}
.town {
  display: block;
}
.tags {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.sorter {
  background: none;
  border: 0;
  padding: 0;
  font: inherit;
  color: inherit;
  cursor: pointer;
}
.sorter:hover {
  text-decoration: underline;
}
.columns {
  display: flex;
  flex-direction: column;
  gap: 4px;
  max-height: 50vh;
  overflow-y: auto;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
