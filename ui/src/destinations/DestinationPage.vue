<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Select from "ant-design-vue/es/select";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import { counted } from "../parts/counted";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import DestinationFields, { type Destination } from "./DestinationFields.vue";
import { secretOf } from "./fresh";
import OnceShown from "./OnceShown.vue";
import OutgoingLog from "./OutgoingLog.vue";
import { type Kind, SAYS, STATES } from "./words";

/** One destination: what it hears, how it stands, what it was told; tried with a sample. */
const props = defineProps<{ id: string }>();
const router = useRouter();
const notice = useNotice();
const path = computed(() => ({ params: { path: { key: props.id } } }));
const { data: all } = useQuery({
  queryKey: ["destinations"],
  queryFn: () => data(api.GET("/api/destinations")),
});
const found = computed(() => all.value?.items.find((one) => one.key === props.id));
const draft = ref<Destination>();
const saved = computed<Destination | undefined>(
  () =>
    found.value && {
      name: found.value.name,
      url: found.value.url,
      kinds: found.value.kinds,
      courses: found.value.courses,
    },
);
const changed = computed(() => !!draft.value && JSON.stringify(draft.value) !== JSON.stringify(saved.value));
watch(
  saved,
  (now, before) => {
    if (now && (!draft.value || JSON.stringify(draft.value) === JSON.stringify(before))) draft.value = { ...now };
  },
  { immediate: true },
);
const secret = ref("");
if (secretOf.value?.key === props.id) secret.value = secretOf.value.secret;
onBeforeUnmount(() => (secretOf.value = null));

const save = useAct((body: Destination) => data(api.PUT("/api/destinations/{key}", { ...path.value, body })), {
  done: () => notice.done("Saved. It counts for what happens from now on."),
});
const setState = useAct((state: "on" | "paused") =>
  data(api.POST("/api/destinations/{key}/state", { ...path.value, body: { state } })),
);
const renew = useAct(() => data(api.POST("/api/destinations/{key}/secret", path.value)), {
  done: (now) => (secret.value = now.secret),
});
const remove = useAct(() => data(api.DELETE("/api/destinations/{key}", path.value)), {
  done: () => router.push("/school/destinations"),
});
async function askRenew(): Promise<void> {
  const said = "For another day messages are signed with the one there is as well, so that none is refused meanwhile.";
  if (await notice.ask("A new secret?", said, "Make a new secret", "Keep it")) renew.mutate();
}
async function askRemove(): Promise<void> {
  const waits = found.value?.waits ? ` ${counted(found.value.waits, "message")} that wait are not posted.` : "";
  const said = `It hears nothing any more, and its log goes.${waits}`;
  if (await notice.ask(`Take away “${found.value?.name}”?`, said, "Take it away", "Keep it")) remove.mutate();
}
const kind = ref<Kind>();
const sampled = ref<number | null>(null);
const chosen = computed<Kind | undefined>(() => kind.value ?? found.value?.kinds[0]);
const sample = useAct(
  () => data(api.POST("/api/destinations/{key}/sample", { ...path.value, body: { kind: chosen.value as Kind } })),
  { done: (now) => (sampled.value = now.id) },
);
</script>

<template>
  <PageHead
    :title="found?.name ?? 'Destination'"
    :above="{ to: '/school/destinations', name: 'Destinations and keys' }"
  >
    <template #beside>
      <span v-if="found" class="pill" :class="STATES[found.state]?.pill" data-testid="state">{{
        STATES[found.state]?.says
      }}</span>
    </template>
    <template v-if="found">
      <Button v-if="found.state === 'on'" @click="setState.mutate('paused')">Pause</Button>
      <Button v-else :type="changed ? 'default' : 'primary'" @click="setState.mutate('on')">Let it go on</Button>
      <Button @click="askRemove">Take away</Button>
      <Button
        type="primary"
        :disabled="!changed || !draft?.kinds.length"
        :loading="save.isPending.value"
        @click="draft && save.mutate(draft)"
        >{{ changed ? "Save" : "Saved" }}</Button
      >
    </template>
  </PageHead>
  <div v-if="found && draft" class="room">
    <p v-if="found.why" class="sheet still" role="status">{{ found.why }}</p>
    <p v-else-if="found.failing" class="sheet still" role="status">
      It has taken nothing since {{ found.failing }}. Messages wait and are tried again.
    </p>
    <OnceShown
      v-if="secret"
      says="Messages are signed with this secret, after Standard Webhooks. Put it in there now; it is not shown again:"
      :value="secret"
      @seen="secret = ''"
    />
    <div class="two">
      <section class="sheet box">
        <DestinationFields v-model="draft" />
        <p class="soft">
          Messages are signed with a secret of their own.
          <button class="link" @click="askRenew">Make a new secret</button>
        </p>
      </section>
      <section class="sheet box">
        <h2>Try it with a sample</h2>
        <p class="soft">A message about an invented student, marked by nothing but their name: Robin Sample.</p>
        <div class="try">
          <Select
            v-named="'What the sample tells'"
            :value="chosen"
            :options="found.kinds.map((one) => ({ value: one, label: SAYS[one] }))"
            @change="(now) => (kind = now as Kind)"
          />
          <Button :disabled="found.state !== 'on'" :loading="sample.isPending.value" @click="sample.mutate()"
            >Post the sample</Button
          >
        </div>
        <OutgoingLog :of="id" :practice="all?.practice ?? false" :look-at="sampled" />
      </section>
    </div>
  </div>
  <EmptyState v-else-if="all" title="There is no such destination">Somebody may have taken it away.</EmptyState>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.two {
  display: grid;
  grid-template-columns: minmax(320px, 420px) minmax(0, 1fr);
  gap: 18px;
  align-items: start;
}
.box {
  padding: 12px 14px 14px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.box h2,
.box p {
  margin: 0;
}
.still {
  padding: 10px 14px;
  margin: 0;
  color: var(--warn);
}
.try {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.try :deep(.ant-select) {
  min-width: 210px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
  .room {
    padding: 14px;
  }
}
</style>
