<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Radio from "ant-design-vue/es/radio";
import RadioGroup from "ant-design-vue/es/radio/Group";
import Spin from "ant-design-vue/es/spin";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import AskDialog from "../parts/AskDialog.vue";

/** Before it runs: who comes in from now on, and whether those are taken in to whom its start has happened already. */
const props = defineProps<{ open: boolean; id: string; name: string; running: boolean; busy: boolean }>();
const emit = defineEmits<{ cancel: []; run: [takeIn: Api["StatusChange"]["take_in"]] }>();
type Who = Api["EarlierChoice"]["who"];
const who = ref<Who | "nobody">("nobody");
const named = ref("");
watch(
  () => props.open,
  () => ([who.value, named.value] = ["nobody", ""]),
);

const { data: found } = useQuery({
  queryKey: ["outset", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}/outset", { params: { path: { key: props.id } } })),
  enabled: computed(() => props.open),
  gcTime: 0,
});
const { data: begun } = useQuery({
  queryKey: ["outset-look", computed(() => props.id), who],
  queryFn: () =>
    data(
      api.POST("/api/sequences/{key}/outset", { params: { path: { key: props.id } }, body: { who: who.value as Who } }),
    ),
  enabled: computed(() => props.open && who.value !== "nobody"),
  gcTime: 0,
});
const { data: later } = useQuery({
  queryKey: ["outset-of", computed(() => begun.value?.id)],
  queryFn: () => data(api.GET("/api/sequences/outsets/{id}", { params: { path: { id: begun.value?.id ?? 0 } } })),
  enabled: computed(() => begun.value?.state === "working"),
  refetchInterval: 700,
  gcTime: 0,
});
const look = computed(() => (later.value?.id === begun.value?.id ? (later.value ?? begun.value) : begun.value));
const result = computed(() => (who.value === "nobody" ? null : look.value?.result));
const ok = computed(() => (props.running ? "Take them in" : "Run"));
const ready = computed(() => Boolean(found.value) && (who.value === "nobody" ? !props.running : Boolean(result.value)));
</script>

<template>
  <AskDialog
    :open="open"
    :title="running ? `“${name}”: take in` : `Run “${name}”`"
    :ok="ok"
    cancel="Not yet"
    :ready="ready"
    :busy="busy"
    @cancel="emit('cancel')"
    @ok="emit('run', who === 'nobody' ? null : who)"
  >
    <div v-if="found" class="slip" data-testid="run-slip">
      <p v-if="!running" class="post">
        From now on comes in whoever has {{ found.starts
        }}<template v-if="found.only_if">, only who {{ found.only_if }}</template
        >.
      </p>
      <template v-if="found.choices.length">
        <p>To some this has happened already. Take them in too?</p>
        <RadioGroup v-model:value="who" class="choices">
          <Radio v-if="!running" value="nobody">Nobody: only who comes from now on</Radio>
          <Radio v-for="one in found.choices" :key="one.who" :value="one.who">
            <b class="postmark">{{ one.number }}</b> {{ one.words }}
          </Radio>
        </RadioGroup>
      </template>
      <p v-else-if="running" class="soft">There is nobody to whom this has happened lately and who is not in it yet.</p>
    </div>
    <div v-if="who !== 'nobody'" class="fates" aria-live="polite">
      <p v-if="!result" class="soft"><Spin size="small" /> Playing it ahead for each of them …</p>
      <template v-else>
        <div v-for="group in result.groups" :key="group.sentence" :class="{ warn: !group.posts }">
          <button
            class="link"
            :aria-expanded="named === group.sentence"
            @click="named = named === group.sentence ? '' : group.sentence"
          >
            <b class="postmark">{{ group.number }}</b> {{ group.sentence }}
          </button>
          <ul v-if="named === group.sentence">
            <li v-for="one in group.names" :key="one.key">
              <RouterLink :to="`/students/${one.key}`"
                ><bdi>{{ one.name }}</bdi></RouterLink
              >
            </li>
            <li v-if="group.number > group.names.length" class="soft">
              and {{ group.number - group.names.length }} more
            </li>
          </ul>
        </div>
        <p v-for="line in result.left_out" :key="line" class="soft">{{ line }}</p>
        <p class="soft">They come in a minute later, through the guards; until then it can be taken back.</p>
      </template>
    </div>
  </AskDialog>
</template>

<style scoped>
.post {
  font: 600 16px/1.4 var(--title);
}
.choices {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.choices :deep(.ant-radio-wrapper) {
  white-space: normal;
}
.fates {
  margin-top: 12px;
  border-top: 1px solid var(--rule2);
  padding-top: 10px;
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.fates .link {
  text-decoration: none;
  color: var(--ink);
}
.fates .link:hover {
  text-decoration: underline;
}
.warn .link {
  color: var(--warn);
}
ul {
  max-height: 200px;
  overflow-y: auto;
  padding-left: 18px;
  margin: 4px 0;
  columns: 2 180px;
}
p {
  margin: 0 0 6px;
}
</style>
