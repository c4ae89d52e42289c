<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import InputNumber from "ant-design-vue/es/input-number";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { may } from "../api/rights";
import { api, type Api, data } from "../api/client";
import type { Broadcast, Letter } from "../api/school-file";
import VersionsTold from "../figures/VersionsTold.vue";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";
import FigureTiles from "../parts/FigureTiles.vue";
import { lettersOf } from "../parts/posted";
import PageHead from "../parts/PageHead.vue";
import LetterBeside from "./LetterBeside.vue";
import OutcomeNames from "./OutcomeNames.vue";
import WaveMap from "./WaveMap.vue";
import WhoLines from "./WhoLines.vue";

/** A broadcast under way or over: how far it is, what became of it, and the names behind every number. */
const props = defineProps<{ id: string; found: Api["BroadcastOut"] }>();
const client = useQueryClient();
const router = useRouter();
const notice = useNotice();
const body = computed(() => props.found.body as Broadcast);
const under = computed(() => ["going", "paused"].includes(props.found.status));
const count = (what: string) => props.found.counts[what] ?? 0;
const open = computed(() => props.found.undecided + count("on_its_way") + count("kept_back"));
const total = computed(() => props.found.recipients ?? 0);
const done = computed(() => total.value - open.value);
const naming = ref<{ outcome: string; reason: string } | null>(null);
const pace = ref<number | null>(props.found.pace);
const key = computed(() => lettersOf(body.value)[0] ?? "");
const { data: letter } = useQuery({
  queryKey: ["letter", key],
  queryFn: () => data(api.GET("/api/letters/{key}", { params: { path: { key: key.value } } })),
});
const { data: compared } = useQuery({
  queryKey: ["compared", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/broadcasts/{key}/versions", { params: { path: { key: props.id } } })),
  enabled: computed(() => Boolean(body.value.versions)),
});
const asks = computed(() =>
  ((letter.value?.body as Letter | undefined)?.blocks ?? []).some((block) => block.kind === "answers"),
);
const shown = computed(() =>
  props.found.figures.filter(
    (one) =>
      !["answered", "complained"].includes(one.what) || one.number > 0 || (one.what === "answered" && asks.value),
  ),
);
const { data: got } = useQuery({
  queryKey: ["outcome", computed(() => [props.id, "posted", ""]), { q: "", page: 1 }],
  queryFn: () =>
    data(
      api.GET("/api/broadcasts/{key}/outcome/{outcome}", { params: { path: { key: props.id, outcome: "posted" } } }),
    ),
});
const readers = computed(() => (got.value?.items ?? []).map((one) => ({ key: one.key, ticked: true })));

const path = { params: { path: { key: props.id } } };
const after = (now: Api["BroadcastOut"]) => client.setQueryData(["broadcast", props.id], now);
const pause = useAct(() => data(api.POST("/api/broadcasts/{key}/pause", path)), { done: after });
const goOn = useAct(() => data(api.POST("/api/broadcasts/{key}/go-on", path)), { done: after });
const stop = useAct(() => data(api.POST("/api/broadcasts/{key}/stop", path)), { done: after });
const setPace = useAct(() => data(api.PUT("/api/broadcasts/{key}/pace", { ...path, body: { pace: pace.value } })), {
  done: after,
});
const to = ({ key }: { key: string }) => router.push(`/broadcasts/${key}`);
const twin = useAct(() => data(api.POST("/api/broadcasts/{key}/duplicate", path)), { done: to });
const again = useAct(() => data(api.POST("/api/broadcasts/{key}/again", path)), { done: to });
async function askStop(): Promise<void> {
  if (
    await notice.ask(
      "Stop the rest?",
      `${open.value} letters that have not gone out will not be posted. Those that have, stay.`,
      "Stop the rest",
      "Let it go on",
    )
  )
    stop.mutate();
}
</script>

<template>
  <PageHead :title="body.name" :above="{ to: '/broadcasts', name: 'Broadcasts' }">
    <template #beside
      ><span class="pill" :class="found.status">{{ found.status_words }}</span
      ><span class="soft postmark">{{ found.when }}</span></template
    >
    <template v-if="under && may('run')">
      <Button v-if="found.status === 'going'" :loading="pause.isPending.value" @click="pause.mutate()">Pause</Button>
      <Button v-else type="primary" :loading="goOn.isPending.value" @click="goOn.mutate()">Go on</Button>
      <Button danger :loading="stop.isPending.value" @click="askStop">Stop the rest</Button>
    </template>
    <template v-else-if="!under && may('run')">
      <RouterLink v-if="found.written_again" :to="`/broadcasts/${found.written_again}`"
        ><Button>The second letter</Button></RouterLink
      >
      <Button v-else :loading="again.isPending.value" @click="again.mutate()"
        >Write again to those who have not opened it</Button
      >
    </template>
    <Button :loading="twin.isPending.value" @click="twin.mutate()">Duplicate</Button>
  </PageHead>
  <div class="desk-broadcast">
    <section class="left">
      <div v-if="under" class="progress sheet" aria-live="polite">
        <div class="bar"><i :style="{ width: (total ? (100 * done) / total : 0) + '%' }" /></div>
        <p>
          <b class="postmark big" data-testid="done">{{ done }}</b> of {{ total }} decided
          <span v-if="found.status === 'paused'" class="blank">· paused, nothing goes out</span>
        </p>
        <p class="soft">
          <template v-if="count('on_its_way')">{{ count("on_its_way") }} on the way. </template
          ><template v-if="count('kept_back')">{{ count("kept_back") }} kept back for now. </template
          ><template v-if="found.undecided">{{ found.undecided }} whose turn has not come.</template>
        </p>
        <label class="pace"
          >Letters a minute
          <InputNumber
            :value="pace ?? undefined"
            :min="1"
            :max="100000"
            placeholder="as fast as it goes"
            aria-label="Letters a minute"
            style="width: 150px"
            @change="(n) => (pace = n === null || n === undefined ? null : Number(n))"
          /><Button
            size="small"
            :disabled="pace === found.pace"
            :loading="setPace.isPending.value"
            @click="setPace.mutate()"
            >Set</Button
          ></label
        >
      </div>
      <h2>What became of it</h2>
      <FigureTiles
        :figures="shown"
        :note="`of ${total} on the list`"
        @open="(outcome) => (naming = { outcome, reason: '' })"
      />
      <p class="soft small">
        The range is where the true share lies in 95 of 100 such cases; few letters say little. Stops within three days
        of a letter are put down to it. Tests count nowhere.
      </p>
      <template v-if="compared?.items.length">
        <h2>Which of its letters does better?</h2>
        <VersionsTold :found="compared" />
      </template>
      <template v-if="found.reasons.length">
        <h2>Not posted, and why</h2>
        <ul class="reasons">
          <li v-for="one in found.reasons" :key="one.outcome + one.reason">
            <button class="link" @click="naming = { outcome: one.outcome, reason: one.reason }">
              <b class="postmark">{{ one.number }}</b> {{ one.sentence }}</button
            >{{ " " }}<span v-if="one.outcome === 'kept_back'" class="label">kept back for now</span>
          </li>
        </ul>
      </template>
      <h2>Who it was for</h2>
      <WhoLines :model-value="body.to" :course="body.course" readonly past />
      <p v-if="body.without.length" class="soft">{{ body.without.length }} taken out by you.</p>
    </section>
    <aside class="right" aria-label="Letter and time">
      <WaveMap v-if="body.zone === 'student'" :id="id" stamp="" :late="body.late" />
      <RouterLink :to="{ path: '/dispatch', query: { broadcast: id } }"
        >Every delivery of it in the dispatch log</RouterLink
      >
      <LetterBeside :letter="key" :course="body.course" :recipients="readers" />
    </aside>
  </div>
  <OutcomeNames
    v-if="naming"
    :of="[id]"
    :outcome="naming.outcome"
    :reason="naming.reason"
    :find="
      (query) =>
        data(
          api.GET('/api/broadcasts/{key}/outcome/{outcome}', {
            params: { path: { key: id, outcome: (naming?.outcome ?? 'posted') as 'posted' }, query },
          }),
        )
    "
    @close="naming = null"
  />
</template>

<style scoped>
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
.right {
  background: var(--sheet2);
  border-left: 1px solid var(--rule);
  overflow-y: auto;
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.progress {
  padding: 12px 16px;
}
.progress p {
  margin: 6px 0 0;
}
.bar {
  height: 8px;
  background: var(--rule2);
  border-radius: 4px;
}
.bar i {
  display: block;
  height: 100%;
  background: #38699c;
  border-radius: 4px;
  transition: width 0.4s;
}
.big {
  font-size: 24px;
}
.pace {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
  flex-wrap: wrap;
}
.blank {
  color: var(--warn);
}
.small {
  font-size: 12.5px;
  margin: 0;
}
.reasons {
  list-style: none;
  margin: 0;
  padding: 0;
}
.reasons li {
  padding: 3px 0;
}
.reasons .link {
  text-decoration: none;
}
.reasons .link:hover {
  text-decoration: underline;
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
}
</style>
