<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Modal from "ant-design-vue/es/modal";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data, ONLY_NEW } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import { freeKey } from "../parts/keys";
import { useNotice } from "../parts/notice";
import ThingPick from "../parts/ThingPick.vue";
import { HOWS } from "./notices";

/** From a cell of who is told what: begin a sequence there, note what the course site sends, or have a notice. */
const props = defineProps<{ occasion: Api["Occasion"]; column: Api["Column"]; course: string }>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const notice = useNotice();
const { things, courses } = useThings();
const chosen = ref<string | undefined>(props.course || undefined);
const which = computed({
  get: () => chosen.value ?? courses.value[0]?.key,
  set: (key) => (chosen.value = key),
});
const person = computed(() =>
  props.column.id.startsWith("person:") ? Number(props.column.id.slice("person:".length)) : null,
);

// Starts that need more than a course begin with what is usual; it is changed in the sequence.
const MORE: Record<string, object> = { inactive: { for: "P7D" }, access_ending: { ahead: "P3D" } };
const OF_COURSE = [
  "enrolled", "purchased", "refunded", "unlocking", "lesson_completed", "quiz_failed", "quiz_passed",
  "module_completed", "inactive", "course_completed", "certificate_issued", "certificate_requested", "access_ending",
  "course_help_stopped",
]; // prettier-ignore
const starts = computed(() => [
  {
    on: props.occasion.kind,
    ...(OF_COURSE.includes(props.occasion.kind) && which.value ? { course: which.value } : {}),
    ...(MORE[props.occasion.kind] ?? {}),
  },
]);
const { data: starters } = useQuery({
  queryKey: ["starters"],
  queryFn: () => data(api.GET("/api/starters")),
  staleTime: Infinity,
  enabled: computed(() => person.value === null),
});
const starter = computed(() => starters.value?.find((one) => one.key === props.occasion.starter));
const gone = (key: string) => {
  emit("close");
  notice.done("It is a draft now. Nothing goes out until you run it.");
  void router.push(`/sequences/${key}`);
};
const take = useAct(
  () =>
    data(
      api.POST("/api/starters/{key}", {
        params: { path: { key: props.occasion.starter } },
        body: { course: which.value ?? "", places: {} },
      }),
    ),
  { done: ({ key }) => gone(key) },
);
const begin = useAct(
  async () => {
    const short = courses.value.find((one) => one.key === which.value)?.short;
    const name = [short, props.occasion.title.toLowerCase()].filter(Boolean).join(" · ");
    const key = freeKey(
      name,
      (things.value?.sequences ?? []).map((one) => one.key),
    );
    await data(
      api.PUT("/api/sequences/{key}", {
        params: { path: { key }, header: ONLY_NEW },
        body: { name, status: "draft", again: "once_per_subject", starts: starts.value },
      }),
    );
    return key;
  },
  { done: gone },
);
const words = ref("");
const note = useAct(
  () =>
    data(
      api.POST("/api/who-is-told/site-notes", {
        body: { kind: props.occasion.kind, course: props.course || null, words: words.value.trim() },
      }),
    ),
  { done: () => emit("close") },
);

const { data: notices } = useQuery({
  queryKey: ["notices"],
  queryFn: () => data(api.GET("/api/notices")),
  enabled: computed(() => person.value !== null),
});
const mine = computed(() => notices.value?.people.find((one) => one.id === person.value));
const known = computed(() => notices.value?.kinds.some((one) => one.kind === props.occasion.kind));
const same = (one: Api["Wish"]) => one.kind === props.occasion.kind && (one.course ?? "") === props.course;
const how = computed(() => mine.value?.wishes.wishes.find(same)?.how ?? "off");
const wish = useAct(
  (soon: Api["Wish"]["how"]) => {
    const others = (mine.value?.wishes.wishes ?? []).filter((one) => !same(one));
    const kind = props.occasion.kind as Api["Wish"]["kind"];
    return data(
      api.PUT("/api/notices/{id}", {
        params: { path: { id: person.value ?? 0 } },
        body: {
          letter: mine.value?.wishes.letter ?? false,
          wishes: [...others, { kind, course: props.course || null, how: soon }],
        },
      }),
    );
  },
  { done: () => emit("close") },
);
</script>

<template>
  <Modal
    open
    :title="
      column.id === 'student' ? `${occasion.title}: what the student is told` : `${occasion.title}: ${column.title}`
    "
    :footer="null"
    @cancel="emit('close')"
  >
    <template v-if="person !== null">
      <p v-if="!notices">…</p>
      <label v-else-if="known && mine" class="line"
        >{{ mine.you ? "You hear of it" : `${mine.name} hears of it`
        }}<Select
          v-named="'How soon'"
          :value="how"
          :options="HOWS"
          class="how"
          @change="(soon) => wish.mutate(soon as Api['Wish']['how'])"
      /></label>
      <p v-else-if="known" class="soft">Only the owner changes what others hear.</p>
      <p v-else class="soft">
        There is no notice of this. In a sequence that begins here, a step “Tell somebody” writes to you with a letter
        of your own.
      </p>
    </template>
    <div v-else class="ways">
      <label v-if="!course && courses.length > 1" class="line"
        >for the course <ThingPick v-model="which" kind="course" label="For which course"
      /></label>
      <section v-if="starter && courses.length">
        <div>
          <h3>Begin with “{{ starter.name }}”</h3>
          <p class="soft">{{ starter.about }}</p>
        </div>
        <Button type="primary" :loading="take.isPending.value" @click="take.mutate()">Take the starter</Button>
      </section>
      <section>
        <div>
          <h3>Begin with an empty sequence</h3>
          <p class="soft">It starts here; you write its letters.</p>
        </div>
        <Button :loading="begin.isPending.value" @click="begin.mutate()">Begin one</Button>
      </section>
      <section>
        <label class="stacked"
          ><b>The course site or shop sends something itself</b>
          <Input
            v-model:value="words"
            :maxlength="200"
            placeholder="its own welcome"
            aria-label="What it sends" /></label
        ><Button :disabled="!words.trim()" :loading="note.isPending.value" @click="note.mutate()">Note it</Button>
      </section>
    </div>
  </Modal>
</template>

<style scoped>
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.how {
  min-width: 190px;
}
.ways {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
section {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 16px;
  align-items: end;
  padding: 12px 0;
  border-top: 1px solid var(--rule2);
}
p {
  margin: 3px 0 0;
}
.stacked {
  gap: 6px;
}
</style>
