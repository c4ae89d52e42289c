<script setup lang="ts">
import { useQueryClient } from "@tanstack/vue-query";
import Checkbox from "ant-design-vue/es/checkbox";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import ThingPick from "../parts/ThingPick.vue";

/** One thing that the owner does to one student by hand; sequences react to it as to anything else. */
type Act = "enrol" | "leave" | "start" | "stop" | "tag" | "untag";
const props = defineProps<{ id: string; act: Act; name?: string; title?: string }>();
const client = useQueryClient();
const notice = useNotice();
const asking = ref(false);
const chosen = ref<string | undefined>("");
const preview = ref(false);
const LABELS: Record<Act, string> = {
  enrol: "Enrol by hand",
  leave: "End access",
  start: "Start a sequence",
  stop: "Stop",
  tag: "Add a tag",
  untag: "✕",
};
const KINDS: Record<string, string> = { enrol: "course", start: "sequence", tag: "tag" };
const SAID: Record<Act, string> = {
  enrol: "Enrolled.",
  leave: "Access has ended.",
  start: "Started.",
  stop: "Stopped.",
  tag: "Tagged.",
  untag: "Taken off.",
};
const path = computed(() => ({ key: props.id }));
const which = computed(() => props.name ?? chosen.value ?? "");
function call(): Promise<Api["StudentOut"]> {
  const params = { path: path.value };
  switch (props.act) {
    case "enrol":
      return data(
        api.POST("/api/students/{key}/enrolments", { params, body: { course: which.value, preview: preview.value } }),
      );
    case "leave":
      return data(
        api.DELETE("/api/students/{key}/enrolments/{course}", {
          params: { path: { ...path.value, course: which.value } },
        }),
      );
    case "tag":
      return data(api.POST("/api/students/{key}/tags", { params, body: { add: [which.value], remove: [] } }));
    case "untag":
      return data(api.POST("/api/students/{key}/tags", { params, body: { add: [], remove: [which.value] } }));
    default:
      return data(
        api.POST("/api/students/{key}/sequences", { params, body: { sequence: which.value, act: props.act } }),
      );
  }
}
const doing = useAct(call, {
  done: (now) => {
    asking.value = false;
    client.setQueryData(["student", props.id], now);
    notice.done(SAID[props.act]);
  },
});
async function click(): Promise<void> {
  if (!props.name) {
    [chosen.value, preview.value, asking.value] = ["", false, true];
  } else if (
    props.act === "untag" ||
    (await notice.ask(
      `${LABELS[props.act]}?`,
      props.act === "leave"
        ? `Their access to ${props.title} ends. What they have learnt stays.`
        : `Nothing more of “${props.title}” goes to them.`,
      LABELS[props.act],
    ))
  ) {
    doing.mutate();
  }
}
</script>

<template>
  <button
    class="link small"
    :aria-label="title ? `${act === 'untag' ? 'Take off' : LABELS[act]}: ${title}` : LABELS[act]"
    @click="click"
  >
    {{ LABELS[act] }}
  </button>
  <AskDialog
    v-if="!name"
    v-model:open="asking"
    :title="LABELS[act]"
    ok="Do it"
    :ready="Boolean(which)"
    :busy="doing.isPending.value"
    @ok="doing.mutate()"
  >
    <ThingPick v-model="chosen" :kind="KINDS[act] ?? 'tag'" :label="`Which ${KINDS[act]}`" :make="act === 'tag'" />
    <Checkbox v-if="act === 'enrol'" v-model:checked="preview" class="preview">only as a preview</Checkbox>
  </AskDialog>
</template>

<style scoped>
.small {
  font-size: 12.5px;
}
.preview {
  margin-top: 10px;
}
</style>
