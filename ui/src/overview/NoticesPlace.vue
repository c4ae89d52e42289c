<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import PageHead from "../parts/PageHead.vue";
import ThingPick from "../parts/ThingPick.vue";
import { HOWS } from "./notices";

/** What each who signs in hears of the school, and how soon; per kind, and differently for single courses. */
type Wish = Api["Wish"];
const { courses } = useThings();
const { data: found, error } = useQuery({ queryKey: ["notices"], queryFn: () => data(api.GET("/api/notices")) });
const chosen = ref<number>();
const person = computed(
  () => found.value?.people.find((one) => one.id === chosen.value) ?? found.value?.people.find((one) => one.you),
);
const save = useAct(
  (wishes: Api["Wishes"]) =>
    data(api.PUT("/api/notices/{id}", { params: { path: { id: person.value?.id ?? 0 } }, body: wishes })),
  { refreshes: ["notices", "who-is-told", "weekly-letter"] },
);
const own = computed(() => person.value?.wishes ?? { wishes: [], letter: false });
const how = (kind: string, course: string | null) =>
  own.value.wishes.find((one) => one.kind === kind && one.course === course)?.how ?? "off";
const others = (kind: string) => own.value.wishes.filter((one) => one.kind === kind && one.course !== null);
function put(kind: Wish["kind"], course: string | null, soon: Wish["how"]): void {
  const rest = own.value.wishes.filter((one) => one.kind !== kind || one.course !== course);
  save.mutate({ letter: own.value.letter, wishes: [...rest, { kind, course, how: soon }] });
}
function drop(kind: string, course: string | null): void {
  const rest = own.value.wishes.filter((one) => one.kind !== kind || one.course !== course);
  save.mutate({ letter: own.value.letter, wishes: rest });
}
const differs = ref<{ kind: Wish["kind"]; course: string | undefined } | null>(null);
function take(): void {
  const one = differs.value;
  if (one?.course) put(one.kind, one.course, "daily");
  differs.value = null;
}
const short = (key: string | null) => courses.value.find((one) => one.key === key)?.short ?? key;
</script>

<template>
  <PageHead title="Notices" :above="{ to: '/school', name: 'School' }"
    ><RouterLink to="/weekly"><Button>The weekly letter</Button></RouterLink></PageHead
  >
  <div class="sheets">
    <p v-if="error" role="alert" class="refused">{{ error.message }}</p>
    <template v-if="found && person">
      <nav v-if="found.people.length > 1" class="people" aria-label="Whose notices">
        <button
          v-for="one in found.people"
          :key="one.id"
          class="link"
          :aria-current="one.id === person.id"
          @click="chosen = one.id"
        >
          {{ one.name }}<template v-if="one.you"> (you)</template>
        </button>
      </nav>
      <section class="sheet box">
        <h2>The weekly letter</h2>
        <Checkbox :checked="own.letter" @change="save.mutate({ letter: !own.letter, wishes: own.wishes })"
          >on Monday at eight: what the week brought, what waits, what comes</Checkbox
        >
      </section>
      <section class="sheet box">
        <h2>When something happens</h2>
        <p class="soft">A short letter about it, never counted among the students’. Many at once come in one.</p>
        <ul>
          <li v-for="one in found.kinds" :key="one.kind">
            <div class="line">
              <span class="kind">{{ one.title }}</span>
              <Select
                v-named="`${one.title}: how soon`"
                :value="how(one.kind, null)"
                :options="HOWS"
                class="how"
                @change="(soon) => put(one.kind, null, soon as Wish['how'])"
              />
              <button
                v-if="courses.length > 1"
                class="link"
                :aria-label="`${one.title}: otherwise in one course`"
                @click="differs = { kind: one.kind, course: undefined }"
              >
                otherwise in one course
              </button>
            </div>
            <div v-for="wish in others(one.kind)" :key="wish.course ?? ''" class="line inner">
              <span class="kind">in {{ short(wish.course ?? null) }}</span>
              <Select
                v-named="`${one.title} in ${short(wish.course ?? null)}: how soon`"
                :value="wish.how"
                :options="HOWS"
                class="how"
                @change="(soon) => put(one.kind, wish.course ?? null, soon as Wish['how'])"
              />
              <button class="link" @click="drop(one.kind, wish.course ?? null)">as everywhere</button>
            </div>
            <div v-if="differs?.kind === one.kind" class="line inner">
              <ThingPick
                v-model="differs.course"
                kind="course"
                :label="`${one.title}: which course`"
                class="how"
                @update:model-value="take"
              />
            </div>
          </li>
        </ul>
      </section>
    </template>
  </div>
</template>

<style scoped>
.sheets {
  max-width: 820px;
}
.people {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
}
.people [aria-current="true"] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: none;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  padding: 6px 0;
  border-top: 1px solid var(--rule2);
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 230px 170px;
  gap: 12px;
  align-items: center;
}
.inner {
  margin-top: 6px;
}
.inner .kind {
  padding-left: 20px;
  color: var(--soft);
}
.how {
  width: 100%;
}
.refused {
  color: var(--red);
}
@media (max-width: 720px) {
  .line {
    grid-template-columns: minmax(0, 1fr);
    gap: 4px;
  }
}
</style>
