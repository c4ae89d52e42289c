<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Select from "ant-design-vue/es/select";
import { computed, ref, toRefs } from "vue";

import { api, type Api, data } from "../api/client";
import { may } from "../api/rights";
import { useAct } from "../parts/act";
import { useInAddress } from "../parts/in-address";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import type { Told } from "./told";
import ToldAdd from "./ToldAdd.vue";
import ToldCell from "./ToldCell.vue";
import ToldTry from "./ToldTry.vue";

/** Everything that happens, by everyone who hears of it: so that nobody is forgotten, and nobody told twice. */
const notice = useNotice();
const { course } = toRefs(useInAddress({ course: "" as string }));
const { data: found, error } = useQuery({
  queryKey: ["who-is-told", course],
  queryFn: () => data(api.GET("/api/who-is-told", { params: { query: { course: course.value } } })),
  placeholderData: keepPreviousData,
});
const courses = computed(() => [
  { value: "", label: "the whole school" },
  ...(found.value?.courses ?? []).map((one) => ({ value: one.key ?? "", label: one.title ?? "" })),
]);
const adding = ref<{ occasion: Api["Occasion"]; column: Api["Column"] } | null>(null);
const missing = computed(
  () => (found.value?.rows ?? []).flatMap((row) => Object.values(row.cells)).filter((cell) => cell.missing).length,
);
const can = (row: Api["Row"], column: Api["Column"]) =>
  row.occasion.kind !== "day" && ((column.id === "student" && may("write")) || column.id.startsWith("person:"));
const said = (row: Api["Row"], column: Api["Column"]) => {
  const cell = row.cells[column.id];
  return Boolean(cell && (cell.heard.length || cell.missing));
};
async function switchOff(told: Told, row: Api["Row"]): Promise<unknown> {
  switch (told.source) {
    case "sequence":
      return data(
        api.POST("/api/sequences/{key}/status", { params: { path: { key: told.key } }, body: { status: "paused" } }),
      );
    case "broadcast":
      return data(api.POST("/api/broadcasts/{key}/take-back", { params: { path: { key: told.key } } }));
    case "destination":
      return data(
        api.POST("/api/destinations/{key}/state", { params: { path: { key: told.key } }, body: { state: "paused" } }),
      );
    case "site":
      return data(api.DELETE("/api/who-is-told/site-notes/{id}", { params: { path: { id: Number(told.key) } } }));
    default:
      return endNotice(Number(told.key), row.occasion.kind);
  }
}
async function endNotice(id: number, kind: string): Promise<unknown> {
  const { people } = await data(api.GET("/api/notices"));
  const wishes = people.find((one) => one.id === id)?.wishes;
  if (!wishes) return;
  const others = wishes.wishes.filter((one) => one.kind !== kind || (course.value !== "" && one.course === null));
  // In one course, what holds for all of them is overruled there.
  const here = wishes.wishes.some((one) => one.kind === kind && one.course === null) && course.value !== "";
  const kept = kind as Api["Wish"]["kind"];
  return data(
    api.PUT("/api/notices/{id}", {
      params: { path: { id } },
      body: {
        letter: wishes.letter,
        wishes: [
          ...others.filter((one) => one.kind !== kind || one.course !== course.value),
          ...(here ? [{ kind: kept, course: course.value, how: "off" as const }] : []),
        ],
      },
    }),
  );
}
const off = useAct(({ told, row }: { told: Told; row: Api["Row"] }) => switchOff(told, row), {
  done: (_, { told }) =>
    notice.done(
      told.source === "broadcast"
        ? `“${told.name}” is a draft again: it goes to nobody until you plan it anew.`
        : told.source === "sequence"
          ? `“${told.name}” is paused: nobody gets a letter of it until it runs again.`
          : "Done.",
    ),
});
</script>

<template>
  <PageHead title="Who is told what" :above="{ to: '/school', name: 'School' }">
    <label class="of"
      ><span class="label">in</span>
      <Select
        v-model:value="course"
        v-named="'Which course'"
        :options="courses"
        show-search
        option-filter-prop="label"
        class="pick"
    /></label>
  </PageHead>
  <div class="room">
    <p v-if="error" role="alert" class="refused">{{ error.message }}</p>
    <template v-if="found">
      <ToldTry v-if="may('students')" />
      <p class="soft lead">
        Every thing that happens to a student, and who hears of it.
        <b v-if="missing" class="warn"
          >{{ missing === 1 ? "One place is" : `${missing} places are` }} silent where most schools say something.</b
        >
      </p>
      <div class="sheet scroll">
        <table class="plain told">
          <thead>
            <tr>
              <th>When this happens</th>
              <th v-for="column in found.columns" :key="column.id" :class="{ student: column.id === 'student' }">
                {{ column.title }}
              </th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in found.rows" :key="row.occasion.kind">
              <th scope="row">{{ row.occasion.title }}</th>
              <td
                v-for="column in found.columns"
                :key="column.id"
                :data-label="column.title"
                :class="{ nothing: !said(row, column), missing: row.cells[column.id]?.missing }"
                :data-testid="`told-${row.occasion.kind}-${column.id}`"
              >
                <ToldCell
                  v-if="row.cells[column.id]"
                  :cell="row.cells[column.id] as Api['Cell']"
                  :what="`${row.occasion.title}, ${column.title}`"
                  :can="can(row, column)"
                  @off="(told) => off.mutate({ told, row })"
                  @add="adding = { occasion: row.occasion, column }"
                />
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </div>
  <ToldAdd v-if="adding" :occasion="adding.occasion" :column="adding.column" :course="course" @close="adding = null" />
</template>

<style scoped>
.room {
  padding: 14px 22px 30px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  overflow-y: auto;
}
.room > * {
  flex: none;
}
.of {
  display: flex;
  gap: 8px;
  align-items: center;
}
.pick {
  min-width: 220px;
}
.lead {
  margin: 0;
}
.scroll {
  overflow-x: auto;
}
.told th[scope="row"] {
  font: 600 14px var(--title);
  color: var(--ink);
  white-space: normal;
  vertical-align: top;
  width: 150px;
  border-bottom: 1px solid var(--rule2);
  position: sticky;
  left: 0;
  background: var(--sheet);
}
.told td {
  min-width: 170px;
}
.told .student {
  min-width: 330px;
}
td.missing {
  background: var(--warn-bg);
}
.warn {
  color: var(--warn);
}
.refused {
  color: var(--red);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  .told,
  .told tbody,
  .told tr,
  .told td,
  .told th[scope="row"] {
    display: block;
    width: auto;
    position: static;
  }
  .told thead {
    display: none;
  }
  .told tr {
    padding: 8px 0;
    border-bottom: 1px solid var(--rule);
  }
  .told th[scope="row"],
  .told td {
    border: 0;
    padding: 4px 14px;
  }
  .told td.nothing {
    display: none;
  }
  .told td::before {
    content: attr(data-label);
    font-size: 12.5px;
    color: var(--soft);
  }
}
</style>
