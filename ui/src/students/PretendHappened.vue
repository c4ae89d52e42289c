<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import WhatFollows from "../connections/WhatFollows.vue";
import { useFrame } from "../frame/frame";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import ThingPick from "../parts/ThingPick.vue";

/** “Pretend this happened” to one student: what it would post is told before, and only then it happens. */
const props = defineProps<{ id: string }>();
type What = Api["PretendedIn"]["do"];
const KINDS: { value: What; label: string; about: string }[] = [
  { value: "buy", label: "buys an offer", about: "offer" },
  { value: "refund", label: "gets a refund", about: "offer" },
  { value: "enrol", label: "is enrolled in a course", about: "course" },
  { value: "start", label: "starts a lesson", about: "lesson" },
  { value: "complete", label: "finishes a lesson", about: "lesson" },
  { value: "take_quiz", label: "takes a quiz", about: "quiz" },
  { value: "sign_in", label: "signs in", about: "" },
];
const notice = useNotice();
const { data: frame } = useFrame();
const open = ref(false);
const what = ref<What>("buy");
const object = ref<string | undefined>("");
const score = ref(70);
const about = computed(() => KINDS.find((one) => one.value === what.value)?.about ?? "");
const path = computed(() => ({ params: { path: { key: props.id } } }));
const body = computed(() => ({
  do: what.value,
  object: about.value ? (object.value ?? "") : "",
  score: what.value === "take_quiz" ? score.value : null,
}));
const chosen = computed(() => !about.value || !!object.value);
const {
  data: seen,
  error,
  isFetching,
} = useQuery({
  queryKey: ["pretend-student", () => props.id, body],
  queryFn: () => data(api.POST("/api/students/{key}/pretend/outlook", { ...path.value, body: body.value })),
  enabled: computed(() => open.value && chosen.value),
  retry: false,
  gcTime: 0,
});
const ready = computed(() => chosen.value && !!seen.value && !error.value && !isFetching.value);
const act = useAct(() => data(api.POST("/api/students/{key}/pretend", { ...path.value, body: body.value })), {
  done: (now) => {
    open.value = false;
    notice.done(now.join(" "));
  },
});
function choose(now: unknown): void {
  what.value = now as What;
  object.value = "";
}
</script>

<template>
  <button class="link" @click="open = true">Pretend this happened</button>
  <AskDialog
    v-model:open="open"
    title="Pretend this happened"
    ok="Let it happen"
    :ready="ready"
    :busy="act.isPending.value"
    @ok="act.mutate()"
  >
    <p v-if="frame && !frame.clock.practice" class="real">
      This is a real school: what it says below is really posted to this student.
    </p>
    <div class="what">
      <Select v-named="'What happens'" :value="what" :options="KINDS" @change="choose" />
      <ThingPick v-if="about" :key="what" v-model="object" :kind="about" :label="`Which ${about}`" />
      <label v-if="what === 'take_quiz'"
        >with so many percent<InputNumber v-model:value="score" :min="0" :max="100" :precision="0"
      /></label>
    </div>
    <template v-if="ready && seen">
      <p v-for="one in seen.sentences" :key="one">{{ one }}</p>
      <WhatFollows :follows="seen.follows" />
    </template>
    <p v-else-if="error && chosen" class="wrong">{{ error.message }}</p>
  </AskDialog>
</template>

<style scoped>
p {
  margin: 8px 0;
}
.what {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.real {
  color: var(--warn);
}
.wrong {
  color: var(--red);
}
</style>
