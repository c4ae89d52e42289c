<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import type { Condition } from "../conditions/conditions";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useBulk } from "../parts/bulk";
import { keepFile } from "../parts/files";
import ThingPick from "../parts/ThingPick.vue";

/** What can be done to the students that are chosen, with its progress and a minute to take it back. */
const props = defineProps<{ who: Api["Chosen"]; number: number; condition: Condition | null; words: string }>();
const emit = defineEmits<{ clear: [] }>();
type What = Api["BulkIn"]["what"];
const ACTS: { what: What; label: string; kind: string; ok: string }[] = [
  { what: "tag", label: "Tag", kind: "tag", ok: "Tag them" },
  { what: "untag", label: "Take a tag off", kind: "tag", ok: "Take it off" },
  { what: "enrol", label: "Enrol", kind: "course", ok: "Enrol them" },
  { what: "start", label: "Start a sequence", kind: "sequence", ok: "Start it" },
  { what: "stop", label: "Stop a sequence", kind: "sequence", ok: "Stop it" },
];
const router = useRouter();
const asking = ref<(typeof ACTS)[number] | null>(null);
const name = ref<string | undefined>("");
const doing = ref("");
const people = computed(() => `${props.number} ${props.number === 1 ? "student" : "students"}`);
const { work, begin: follow, back } = useBulk();
const begin = useAct(
  () =>
    data(api.POST("/api/bulk", { body: { ...props.who, what: asking.value?.what ?? "tag", name: name.value ?? "" } })),
  {
    done: (now) => {
      doing.value = `${asking.value?.label} “${name.value}”`;
      asking.value = null;
      follow(now);
    },
    refreshes: [],
  },
);
const write = useAct(
  () =>
    data(
      api.POST("/api/broadcasts", {
        body: {
          name: `To ${people.value}`,
          letter: null,
          to: props.who.keys ? { is: "student", keys: props.who.keys } : props.condition,
        },
      }),
    ),
  { done: ({ key }) => router.push(`/broadcasts/${key}`), refreshes: [] },
);
const csv = useAct(() => keepFile("/api/student-list/csv", "students.csv", props.who), { refreshes: [] });
function ask(act: (typeof ACTS)[number]): void {
  [asking.value, name.value] = [act, ""];
}
</script>

<template>
  <div class="bulk sheet">
    <b data-testid="chosen">{{ people }} chosen</b><slot />
    <Button v-for="act in ACTS" :key="act.what" size="small" @click="ask(act)">{{ act.label }}</Button>
    <Button
      size="small"
      :disabled="Boolean(words)"
      :title="words ? 'Choose them by conditions, or one by one' : ''"
      :loading="write.isPending.value"
      @click="write.mutate()"
      >Write to them</Button
    >
    <Button size="small" :loading="csv.isPending.value" @click="csv.mutate()">CSV</Button>
    <Button size="small" type="text" @click="emit('clear')">Choose nobody</Button>
  </div>
  <div v-if="work" class="work" role="status">
    <template v-if="work.waits"
      ><b
        >{{ doing }} begins in <span class="postmark">{{ work.waits }}</span> seconds</b
      >
      for {{ work.total }}, because letters may follow at once.
      <Button size="small" danger @click="back()">Call it off</Button></template
    >
    <template v-else-if="work.state === 'working'"
      >{{ doing }}: {{ work.done }} of {{ work.total }} … <Button size="small" @click="back()">Stop</Button></template
    >
    <template v-else-if="work.state === 'done'"
      >{{ doing }}: done for {{ work.changed }} of {{ work.total
      }}<template v-if="work.changed < work.total">; nothing to change for the others</template>.
      <Button v-if="work.undo" size="small" @click="back()">Undo ({{ work.undo }} s)</Button></template
    >
    <template v-else>{{ doing }}: {{ work.refused || "called off." }}</template>
  </div>
  <AskDialog
    :open="asking !== null"
    :title="asking ? `${asking.label}: ${people}` : ''"
    :ok="asking?.ok ?? ''"
    :ready="Boolean(name)"
    :busy="begin.isPending.value"
    @update:open="asking = null"
    @ok="begin.mutate()"
  >
    <ThingPick
      v-if="asking"
      v-model="name"
      :kind="asking.kind"
      :label="`Which ${asking.kind}`"
      :make="asking.what === 'tag'"
    />
    <p v-if="asking && ['enrol', 'start'].includes(asking.what)" class="soft">
      It begins a minute later, so that you can call it off before any letter goes out.
    </p>
  </AskDialog>
</template>

<style scoped>
.bulk {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding: 8px 12px;
}
.work {
  background: var(--act-bg);
  border-radius: 6px;
  padding: 7px 12px;
}
</style>
