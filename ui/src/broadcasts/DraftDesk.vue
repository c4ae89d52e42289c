<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import Menu from "ant-design-vue/es/menu";
import Segmented from "ant-design-vue/es/segmented";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, begunFrom, data } from "../api/client";
import type { Broadcast, Letter } from "../api/school-file";
import { useThings } from "../api/things";
import { useFrame } from "../frame/frame";
import { useAutosave } from "../parts/autosave";
import { useAct } from "../parts/act";
import ClashDialog from "../parts/ClashDialog.vue";
import FindingLines from "../parts/FindingLines.vue";
import MailDialog from "../parts/MailDialog.vue";
import { lettersOf } from "../parts/posted";
import VersionsPick from "../parts/VersionsPick.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { shownAs } from "../parts/shown-as";
import KeepAudience from "../students/KeepAudience.vue";
import LetterBeside from "./LetterBeside.vue";
import RecipientTable from "./RecipientTable.vue";
import SlipDialog from "./SlipDialog.vue";
import TakeBack from "./TakeBack.vue";
import { useLook } from "./look";
import WhenEdit from "./WhenEdit.vue";
import WhoLines from "./WhoLines.vue";
import WillGet from "./WillGet.vue";

interface Draft {
  body: Broadcast;
  pace: number | null;
  audience: string | null;
}
const props = defineProps<{ id: string; found: Api["BroadcastOut"] }>();
const client = useQueryClient();
const router = useRouter();
const notice = useNotice();
const { options } = useThings();
const { data: frame } = useFrame();
const planned = computed(() => props.found.status === "scheduled");
const fresh = (now: Api["BroadcastOut"]): Draft => ({
  body: now.body as Broadcast,
  pace: now.pace,
  audience: null,
});
const put = (now: Api["BroadcastOut"]) => client.setQueryData(["broadcast", props.id], now);

const { current, saved, saving, refused, changed, clash, base, begin, flush, resolve } = useAutosave<Draft>(
  () => `broadcast:${props.id}`,
  async (draft, edition) => {
    const body = { ...draft, body: draft.body };
    const params = { path: { key: props.id }, header: begunFrom(edition) };
    const now = await data(api.PUT("/api/broadcasts/{key}", { params, body }));
    put(now);
    return now.edition;
  },
  async () => {
    const now = await data(api.GET("/api/broadcasts/{key}", { params: { path: { key: props.id } } }));
    return { body: fresh(now), edition: now.edition };
  },
);
watch(
  () => props.found,
  (now) => begin(fresh(now), now.edition),
  { immediate: true },
);
const shown = computed(() => (planned.value ? fresh(props.found) : current.value));
const change = (part: Partial<Broadcast>) =>
  current.value && (current.value = { ...current.value, body: { ...current.value.body, ...part } });

/** Choosing one course makes it what the letter is about, until another is chosen by hand. */
function who(to: Broadcast["to"]): void {
  const only = to && to.is === "enrolled" && to.course !== "any" ? String(to.course) : null;
  change(only && shown.value?.body.course === null ? { to, course: only } : { to });
}

// Of several versions, the one that is looked at.
const place = ref<string | number>(1);
const keys = computed(() => lettersOf(shown.value?.body ?? {}));
const seen = computed(() => keys.value[Number(place.value) - 1] ?? keys.value[0] ?? "");
const { data: letter } = useQuery({
  queryKey: ["letter", seen],
  queryFn: () => data(api.GET("/api/letters/{key}", { params: { path: { key: seen.value } } })),
  enabled: computed(() => seen.value !== ""),
});
const purpose = computed(() => (letter.value?.body as Letter | undefined)?.purpose ?? "news");
// What is looked ahead to: what is saved, with the letter as it is.
const stamp = computed(() => `${saved.value}|${letter.value?.version ?? ""}|${frame.value?.clock.now ?? ""}`);
const { look, stale } = useLook(() => props.id, stamp);
const listed = ref<Api["RecipientOut"][]>([]);
const late = computed(() =>
  Boolean(
    frame.value &&
    shown.value &&
    shown.value.body.zone === "school" &&
    shown.value.body.at.slice(0, 16) < frame.value.clock.wall,
  ),
);

async function anew(): Promise<void> {
  const one = (await data(api.GET("/api/audiences"))).find((a) => a.key === props.found.audience?.key);
  if (one && current.value)
    current.value = { ...current.value, audience: one.key, body: { ...current.value.body, to: one.condition } };
}

const { data: read } = useQuery({
  queryKey: ["preview", computed(() => letter.value?.body), shownAs, computed(() => shown.value?.body.course ?? null)],
  queryFn: () =>
    data(
      api.POST("/api/letters/preview", {
        body: { letter: letter.value?.body ?? {}, student: shownAs.value, course: shown.value?.body.course ?? null },
      }),
    ),
  enabled: computed(() => Boolean(letter.value && shownAs.value)),
});
const { data: reader } = useQuery({
  queryKey: ["student", shownAs],
  queryFn: () => data(api.GET("/api/students/{key}", { params: { path: { key: shownAs.value } } })),
  enabled: computed(() => shownAs.value !== ""),
});
// What is confirmed is what is saved now: numbers that are no longer true are not put on the slip.
const agreed = computed(() => (stale.value && look.value?.result ? undefined : look.value));
const slip = ref(false);
const mail = ref<number | null>(null);
const keeping = ref(false);
const done = (text: string) => (now: Api["BroadcastOut"]) => {
  slip.value = false;
  put(now);
  notice.done(text);
};
const path = { params: { path: { key: props.id } } };
const test = useAct(
  async () => {
    await flush();
    return data(api.POST("/api/broadcasts/{key}/test", { ...path, body: { student: shownAs.value, readers: [] } }));
  },
  {
    done: (sent) => {
      if (sent.mail === null) notice.done(`Sent to ${sent.to.join(", ")}.`);
      else mail.value = sent.mail;
    },
    refreshes: ["broadcast"],
  },
);
async function review(): Promise<void> {
  await flush();
  if (refused.value) notice.refused(new Error(`Not saved yet. ${refused.value}`));
  else slip.value = true;
}
const plan = useAct(
  (at_once: boolean) => data(api.POST("/api/broadcasts/{key}/schedule", { ...path, body: { at_once } })),
  { done: done("Planned.") },
);
const back = useAct(() => data(api.POST("/api/broadcasts/{key}/take-back", path)), {
  done: done("It is a draft again. Nothing was posted."),
});
const away = useAct(() => data(api.DELETE("/api/broadcasts/{key}", path)), { done: () => router.push("/broadcasts") });
const twin = useAct(() => data(api.POST("/api/broadcasts/{key}/duplicate", path)), {
  done: ({ key }) => router.push(`/broadcasts/${key}`),
  refreshes: [],
});
const mend = useAct(
  () => {
    const params = { path: { key: seen.value }, header: begunFrom(letter.value?.edition ?? "") };
    return data(api.PUT("/api/letters/{key}", { params, body: { ...(letter.value?.body ?? {}), purpose: "news" } }));
  },
  { done: () => notice.done("It is a news letter now.") },
);
</script>

<template>
  <PageHead v-if="shown" :title="found.body.name as string" :above="{ to: '/broadcasts', name: 'Broadcasts' }">
    <template #title
      ><h1 class="name">
        <span v-if="planned">{{ shown.body.name }}</span><Input
          v-else
          :value="shown.body.name"
          :bordered="false"
          aria-label="Name of the broadcast"
          :style="{ width: Math.min(40, Math.max(16, shown.body.name.length + 1)) + 'ch' }"
          @update:value="(name) => change({ name })"
        /></h1
    ></template>
    <template #beside
      ><span class="pill" :class="found.status">{{ found.status_words }}</span
      ><span class="label" role="status">{{
        planned ? "" : refused ? "kept here, not saved yet" : saving || changed ? "saving …" : "saved"
      }}</span></template
    >
    <Dropdown :trigger="['click']"
      ><Button aria-label="More">…</Button
      ><template #overlay
        ><Menu @click="({ key }) => (key === 'twin' ? twin.mutate() : away.mutate())"
          ><Menu.Item key="twin">Duplicate</Menu.Item
          ><Menu.Item v-if="!planned" key="away" danger>Throw this draft away</Menu.Item></Menu
        ></template
      ></Dropdown
    >
    <Button :loading="test.isPending.value" :disabled="!shownAs" @click="test.mutate()">Send me a test</Button>
    <Button v-if="planned" :loading="back.isPending.value" @click="back.mutate()">{{
      found.take_back_seconds === null ? "Change or call off" : "Take it back"
    }}</Button>
    <Button v-else v-needs="'run'" type="primary" @click="review">Review and post</Button>
  </PageHead>
  <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="resolve" />
  <TakeBack v-if="planned" :found="found" @back="back.mutate()" />
  <p v-if="refused && !planned" class="note" role="alert">{{ refused }}</p>
  <div v-if="shown" class="desk-broadcast">
    <section class="left">
      <h2>Who gets it</h2>
      <WhoLines
        :model-value="shown.body.to"
        :course="shown.body.course"
        :readonly="planned"
        @update:model-value="who"
        @keep="keeping = true"
        @audience="(audience) => current && (current = { ...current, audience })"
      />
      <p v-if="found.audience && !planned" class="soft from">
        Copied from the audience “{{ found.audience.name }}”<template v-if="found.audience.changed"
          >, which <b>has changed since</b>. <button class="link" @click="anew">Copy it again</button></template
        >.
      </p>
      <WillGet
        :look="look"
        :stale="stale || changed"
        :without="shown.body.without.length"
        @mend="router.push(`/letters/${seen}`)"
      />
      <RecipientTable
        :id="id"
        :without="shown.body.without"
        :stamp="saved"
        :outlook="look?.result ? look.id : 0"
        :readonly="planned"
        :where="shown.body.zone === 'school'"
        @update:without="(without) => change({ without })"
        @listed="(items) => (listed = items)"
      />
    </section>
    <aside class="right" aria-label="Letter and time">
      <section class="part">
        <div class="head">
          <h2>Letter</h2>
          <RouterLink :to="{ path: `/letters/${seen}`, query: { back: `/broadcasts/${id}` } }"
            ><Button size="small">Write it</Button></RouterLink
          >
        </div>
        <div class="picks">
          <VersionsPick
            :posts="shown.body"
            :readonly="planned"
            :options="options.letter ?? []"
            class="grow"
            @change="(posts) => change(posts)"
          />
          <Select
            v-named="'Which course it is about'"
            :value="shown.body.course ?? ''"
            :disabled="planned"
            :options="[
              { value: '', label: 'about no course' },
              ...(options.course ?? []).map((c) => ({ ...c, label: `about ${c.label}` })),
            ]"
            class="about"
            :dropdown-match-select-width="false"
            @change="(key) => change({ course: String(key) || null })"
          />
        </div>
        <FindingLines :found="found.findings" :readonly="planned" @mend="mend.mutate()" />
        <Segmented
          v-if="keys.length > 1"
          v-model:value="place"
          :options="keys.map((_, at) => ({ value: at + 1, label: `Letter ${at + 1}` }))"
          size="small"
          class="which"
        />
        <LetterBeside :letter="seen" :course="shown.body.course" :recipients="listed" />
      </section>
      <section class="part time">
        <h2>When</h2>
        <WhenEdit
          v-if="current || planned"
          :id="id"
          :model-value="shown.body"
          :pace="shown.pace"
          :stamp="saved"
          :place="frame?.clock.place ?? ''"
          :news="purpose === 'news'"
          :readonly="planned"
          @update:model-value="(body) => change(body)"
          @update:pace="(pace) => current && (current = { ...current, pace })"
        />
        <p v-if="found.tested" class="well">✓ Test seen in your inbox, {{ found.tested }}</p>
      </section>
    </aside>
  </div>
  <SlipDialog
    v-if="slip"
    :look="agreed"
    :findings="found.findings"
    :tested="found.tested"
    :late="late"
    :busy="plan.isPending.value"
    :subject="read?.subject ?? ''"
    :reader="reader?.name ?? ''"
    @close="slip = false"
    @plan="plan.mutate(false)"
    @now="plan.mutate(true)"
    @test="test.mutate()"
  />
  <MailDialog v-if="mail !== null" :mail="mail" title="In your own inbox" @close="mail = null" />
  <KeepAudience v-model:open="keeping" :condition="shown?.body.to ?? null" />
</template>

<style scoped>
.name :deep(input),
.name {
  font: 600 21px var(--title);
}
.name :deep(input) {
  padding: 2px 4px;
  max-width: 100%;
}
.note {
  background: var(--warn-bg);
  color: var(--warn);
  padding: 7px 22px;
  margin: 0;
}
.desk-broadcast {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 420px);
  flex: 1;
  min-height: 0;
}
.left {
  padding: 16px 22px 40px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.left > * {
  flex: none;
}
.from {
  margin: 0;
  font-size: 13px;
}
.right {
  background: var(--sheet2);
  border-left: 1px solid var(--rule);
  overflow-y: auto;
  display: flex;
  flex-direction: column;
}
.part {
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.time {
  border-top: 1px solid var(--rule);
  background: var(--sheet);
  position: sticky;
  bottom: 0;
  margin-top: auto;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.picks {
  display: flex;
  align-items: flex-start;
  gap: 8px;
  flex-wrap: wrap;
}
.grow {
  flex: 1;
  min-width: 150px;
}
.about {
  width: 160px;
}
.which {
  align-self: flex-start;
}
.well {
  color: var(--well);
  margin: 0;
  font-size: 13px;
}
@media (max-width: 900px) {
  .desk-broadcast {
    display: block;
    overflow: auto;
  }
  .left {
    overflow: visible;
    padding: 14px;
  }
  .right {
    border-left: 0;
    border-top: 1px solid var(--rule);
    overflow: visible;
  }
  .time {
    position: static;
  }
}
</style>
