<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { rooted } from "../api/base";
import { api, type Api, begunFrom, data } from "../api/client";
import { useAct } from "../parts/act";
import ClashDialog from "../parts/ClashDialog.vue";
import { placeOf as draftOf, useDraft } from "../parts/draft";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { useSaveKey } from "../parts/save-key";
import { useSaving } from "../parts/saving";
import AddressBox from "./AddressBox.vue";
import ConnectionFileBox from "./ConnectionFileBox.vue";
import ConnectionSentence from "./ConnectionSentence.vue";
import { asked, type ConnectionFile, pathTo, placeOf, taken, takenAt, withLines } from "./file";
import EventFile from "./EventFile.vue";
import GuessList from "./GuessList.vue";
import MeaningMenu from "./MeaningMenu.vue";
import MessageTree from "./MessageTree.vue";
import PretendDialog from "./PretendDialog.vue";
import { STATES } from "./states";
import SwitchOn from "./SwitchOn.vue";
import TriedList from "./TriedList.vue";

const props = defineProps<{ id: string }>();
const router = useRouter();
const notice = useNotice();
const draft = useDraft<ConnectionFile>(() => `connection:${props.id}`);
const { current, changed, restored, clash, base, begin, discard } = draft;
const path = computed(() => ({ path: { key: props.id } }));
const {
  data: found,
  error: gone,
  refetch,
} = useQuery({
  queryKey: ["connection", () => props.id],
  queryFn: () => data(api.GET("/api/connections/{key}", { params: path.value })),
  retry: false,
});
watch(found, (now) => now && begin(now.file as unknown as ConnectionFile, now.edition), { immediate: true });
// Only read behind v-if, once both are there.
const connection = computed(() => found.value as Api["ConnectionOut"]);
const file = computed({
  get: () => current.value as ConnectionFile,
  set: (now) => (current.value = now),
});

const rule = ref(0);
const { data: tried } = useQuery({
  queryKey: ["connection-tried", () => props.id, current, () => found.value?.messages],
  queryFn: () =>
    data(
      api.POST("/api/connections/{key}/try", {
        params: path.value,
        body: { file: { ...file.value }, places: asked(file.value) },
      }),
    ),
  enabled: computed(() => Boolean(current.value && found.value?.messages)),
  placeholderData: keepPreviousData,
});
const wanted = ref<number | null>(null);
const shown = computed(() => wanted.value ?? tried.value?.messages[0]?.id ?? null);
const { data: message } = useQuery({
  queryKey: ["connection-message", () => props.id, shown],
  queryFn: () =>
    data(
      api.GET("/api/connections/{key}/messages/{id}", {
        params: { path: { key: props.id, id: shown.value as number } },
      }),
    ),
  enabled: computed(() => shown.value !== null),
  placeholderData: keepPreviousData,
});
/** Where the items of this message stand: as the server found them, or as they would be found by the path just taken. */
const lines = computed(() => {
  const served = tried.value?.messages.find((one) => one.id === message.value?.id)?.lines ?? [];
  if (served.length || !current.value?.each || !message.value) return served;
  return linesIn(message.value.data, "");
});
function linesIn(node: unknown, pointer: string): string[] {
  if (Array.isArray(node) && pathTo(pointer) === current.value?.each)
    return node.map((_, index) => `${pointer}/${index}`);
  if (node === null || typeof node !== "object") return [];
  return Object.entries(node).flatMap(([name, inner]) =>
    linesIn(inner, `${pointer}/${name.replaceAll("~", "~0").replaceAll("/", "~1")}`),
  );
}
const chips = computed(() => (current.value ? takenAt(current.value) : new Map<string, string[]>()));
const chosen = ref<{ pointer: string; text: string } | null>(null);
watch(shown, () => (chosen.value = null));
function choose(pointer: string, text: string): void {
  chosen.value = chosen.value?.pointer === pointer ? null : { pointer, text };
}
function mean(part: string): void {
  if (!chosen.value) return;
  file.value = taken(file.value, part, placeOf(chosen.value.pointer, lines.value), chosen.value.text, rule.value);
  chosen.value = null;
}

const {
  save,
  choose: chooseVersion,
  saving,
} = useSaving<ConnectionFile, Api["ConnectionOut"]>(
  draft,
  (body, begun) =>
    data(
      api.PUT("/api/connections/{key}", {
        params: { ...path.value, header: begunFrom(begun) },
        body: { file: { ...body } },
      }),
    ),
  async () => {
    const now = await data(api.GET("/api/connections/{key}", { params: path.value }));
    return { body: now.file as unknown as ConnectionFile, edition: now.edition };
  },
  (now) => (now.state === "on" ? "Saved. It holds from the next message on." : "Saved."),
);
useSaveKey(save);
const switching = ref(false);
const pretending = ref(false);
type Switch = { state: "listening" | "on" | "off"; take?: "nothing" | "past" | "now"; since?: string };
const turn = useAct(
  ({ state, take = "nothing", since }: Switch) =>
    data(api.POST("/api/connections/{key}/state", { params: path.value, body: { state, take, since } })),
  {
    done: (now) => {
      switching.value = false;
      notice.done(
        now.state === "on"
          ? "On. The next message is taken in as it comes."
          : now.state === "off"
            ? "Off. What comes now is turned away."
            : "It only listens now. Nothing is posted.",
      );
    },
  },
);
const remove = useAct(() => data(api.DELETE("/api/connections/{key}", { params: path.value })), {
  done: () => {
    localStorage.removeItem(draftOf(`connection:${props.id}`));
    void router.push("/school/connections");
  },
});
async function askRemove(): Promise<void> {
  if (
    await notice.ask(
      `Remove “${connection.value.name}”?`,
      "Its messages go, and what waits of them. Students, and what has become events, stay. " +
        "What is sent to its address is turned away.",
      "Remove it",
      "Keep it",
    )
  )
    remove.mutate();
}
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <PageHead :title="found?.name ?? 'Connection'" :above="{ to: '/school/connections', name: 'Connections' }">
    <template #beside
      ><span v-if="found" class="pill" :class="STATES[found.state]?.pill" data-testid="state">{{
        STATES[found.state]?.says
      }}</span></template
    >
    <template v-if="found && current">
      <Button v-if="found.state !== 'listening'" @click="turn.mutate({ state: 'listening' })">Only listen</Button>
      <Button v-if="found.state === 'on'" @click="turn.mutate({ state: 'off' })">Switch off</Button>
      <Button :type="changed ? 'primary' : 'default'" :disabled="!changed" :loading="saving" @click="save">{{
        changed ? "Save" : "Saved"
      }}</Button>
      <Button
        v-if="found.state !== 'on'"
        type="primary"
        :disabled="changed || !!found.missing.length"
        :title="changed ? 'Save first' : found.missing.join(' ')"
        @click="switching = true"
        >Switch on</Button
      >
    </template>
  </PageHead>
  <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="chooseVersion" />
  <EmptyState v-if="gone" title="There is no such connection any more">{{ gone.message }}</EmptyState>
  <div v-else-if="found && current" class="room">
    <SwitchOn
      v-model:open="switching"
      :connection="found"
      :tried="tried"
      :busy="turn.isPending.value"
      @on="(take, since) => turn.mutate({ state: 'on', take, since })"
    />
    <p v-if="restored && changed" class="note" role="status">
      Unsaved changes from earlier are shown. <button class="link" @click="discard">Show what is saved instead</button>
    </p>
    <AddressBox v-model:proof="file.proof" :connection="found" />
    <section v-if="!found.messages" class="sheet">
      <EmptyState title="Nothing has come yet"
        >Put the address in where your shop or site asks for a webhook or notification address, and let it send a test
        message or a first order. It shows up here as soon as it comes.</EmptyState
      >
    </section>
    <template v-else>
      <section class="sheet">
        <TriedList
          v-if="tried"
          :tried="tried"
          :chosen="shown"
          :kept="found.messages"
          :changed="changed"
          @choose="(id: number) => (wanted = id)"
        />
      </section>
      <div class="columns">
        <section class="sheet box" aria-label="The message as it came">
          <h2>The message as it came</h2>
          <p v-if="message" class="label">
            {{ message.at }}<template v-if="message.became?.events"> · taken in</template>. Click a value, and say what
            it is.
          </p>
          <div v-if="message && !found.missing.length && !changed">
            <button class="link label" @click="pretending = true">Pretend this happened once more</button>
            <PretendDialog v-model:open="pretending" :connection="id" :message="message.id" />
          </div>
          <p v-if="message?.refused" class="soft">{{ message.refused }}</p>
          <ul v-else-if="message" class="tree">
            <MessageTree
              :node="message.data"
              pointer=""
              name=""
              :lines="lines"
              :taken="chips"
              :chosen="chosen?.pointer ?? null"
              @choose="choose"
              @list="(pointer: string) => (file = withLines(file, pointer))"
            >
              <template #menu>
                <MeaningMenu
                  v-if="chosen"
                  :file="file"
                  :rule="rule"
                  :text="chosen.text"
                  @meant="mean"
                  @close="chosen = null"
                />
              </template>
            </MessageTree>
          </ul>
        </section>
        <section class="sheet box" aria-label="What it means">
          <h2>What it means</h2>
          <GuessList v-if="message" v-model="file" :guesses="message.guesses" />
          <ConnectionSentence v-model="file" v-model:rule="rule" :seen="tried?.seen ?? {}" />
        </section>
      </div>
    </template>
    <EventFile :connection="found" :changed="changed" @read="() => void refetch()" />
    <section class="sheet box foot">
      <label
        >What you call it<Input
          :value="file.name"
          :maxlength="100"
          @change="(event: Event) => (file = { ...file, name: typed(event) || file.key })"
      /></label>
      <ConnectionFileBox v-model="file" :address="rooted(`/api/connections/${found.key}/file`)" />
      <div><button class="link label" @click="askRemove">Remove this connection</button></div>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}
.box {
  padding: 12px 14px 14px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.box p {
  margin: 0;
}
.tree {
  margin: 0;
  padding: 0;
}
.tree :deep(> li > ul) {
  border: 0;
  padding: 0;
}
.note {
  margin: 0;
  padding: 6px 14px;
  background: var(--warn-bg);
  border-radius: 6px;
}
.foot label {
  max-width: 360px;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
  .room {
    padding: 14px;
  }
}
</style>
