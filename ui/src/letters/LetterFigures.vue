<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";
import { useRoute } from "vue-router";

import { api, data } from "../api/client";
import OutcomeNames from "../broadcasts/OutcomeNames.vue";
import EmptyState from "../parts/EmptyState.vue";
import FigureTiles from "../parts/FigureTiles.vue";
import PageHead from "../parts/PageHead.vue";
import LetterTabs from "./LetterTabs.vue";

/** What became of a letter: of all its deliveries, of one version, or at one step of a sequence. */
const props = defineProps<{ id: string }>();
const route = useRoute();
// Who came from a step of a sequence sees what became of the letter there.
const chosen = ref(route.query.step ? `step|${String(route.query.sequence)}|${String(route.query.step)}` : "");
const which = computed(() => {
  const [kind, first = "", second = ""] = chosen.value.split("|");
  return kind === "version" ? { version: Number(first) } : kind === "step" ? { sequence: first, step: second } : {};
});
const path = computed(() => ({ key: props.id }));
const { data: letter } = useQuery({
  queryKey: ["letter", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/letters/{key}", { params: { path: path.value } })),
});
const { data: found, error } = useQuery({
  queryKey: ["letter-figures", path, which],
  queryFn: () => data(api.GET("/api/letters/{key}/figures", { params: { path: path.value, query: which.value } })),
  placeholderData: keepPreviousData,
});
const { data: school } = useQuery({ queryKey: ["school"], queryFn: () => data(api.GET("/api/school")) });
const tracking = computed(
  () => (school.value?.body as { tracking?: { links: boolean; openings: boolean } } | undefined)?.tracking,
);
const options = computed(() => [
  { value: "", label: "All of it" },
  ...(found.value?.versions ?? []).map((one) => ({
    value: `version|${one.version}`,
    label: `Version ${one.version} (${one.posted})`,
  })),
  ...(found.value?.steps ?? []).map((one) => ({
    value: `step|${one.sequence}|${one.step}`,
    label: `${one.name} (${one.posted})`,
  })),
]);
const asks = computed(() => JSON.stringify(letter.value?.body ?? "").includes('"answers"'));
const figures = computed(() =>
  (found.value?.figures ?? []).filter((one) => one.what !== "answered" || one.number > 0 || asks.value),
);
const naming = ref<{ outcome: string; reason: string; of?: { link?: string; week?: string } } | null>(null);
const most = computed(() => Math.max(1, ...(found.value?.weeks ?? []).map((one) => one.posted)));
/** A link as it stands in the letter, merge fields by their names. */
const plain = (link: string) => link.replace(/\{\{\s*([^}|]+?)\s*(\|[^}]*)?\}\}/g, "‹$1›");
</script>

<template>
  <PageHead :title="String(letter?.body.name ?? '…')" :above="{ to: '/letters', name: 'Letters' }"
    ><Select
      v-model:value="chosen"
      v-named="'Which deliveries'"
      :options="options"
      style="width: 280px"
      :dropdown-match-select-width="false"
  /></PageHead>
  <LetterTabs :id="id" at="figures" />
  <div v-if="found" class="room">
    <EmptyState v-if="!found.counts.posted && !found.reasons.length" title="Nothing has been posted yet"
      >Once a sequence or a broadcast posts this letter, you see here what became of it.</EmptyState
    >
    <template v-else>
      <FigureTiles :figures="figures" @open="(outcome) => (naming = { outcome, reason: '' })" />
      <p class="soft small">
        The range is where the true share lies in 95 of 100 such cases; few letters say little. Stops and complaints
        within three days of a letter are put down to it.
        <template v-if="tracking && !tracking.openings"
          >Openings are not noted (School), so “opened” knows only what the course site reports.</template
        ><template v-else>Many mail programs load pictures by themselves or never, so “opened” is a guess.</template>
      </p>
      <section v-if="found.reasons.length">
        <h2>Not posted, and why</h2>
        <ul class="reasons">
          <li v-for="one in found.reasons" :key="one.outcome + one.reason">
            <button class="link" @click="naming = { outcome: one.outcome, reason: one.reason }">
              <b class="postmark">{{ one.number }}</b> {{ one.sentence }}
            </button>
          </li>
        </ul>
      </section>
      <section v-if="found.links.length" class="sheet scroll">
        <table class="plain">
          <caption class="visually-hidden">
            Links that were followed
          </caption>
          <thead>
            <tr>
              <th>Link</th>
              <th class="num">Students</th>
              <th class="num">Machines</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in found.links" :key="one.link">
              <td class="postmark">{{ plain(one.link) }}</td>
              <td class="num postmark">
                <button
                  class="link"
                  :aria-label="`${one.students} students followed it: their names`"
                  @click="naming = { outcome: 'clicked', reason: '', of: { link: one.link } }"
                >
                  {{ one.students }}
                </button>
              </td>
              <td class="num postmark soft">{{ one.machines }}</td>
            </tr>
          </tbody>
        </table>
        <p class="soft small pad">
          A student counts once for each link. “Machines” are visits by mail scanners: seconds after posting, many links
          at once, or without asking for the page.
        </p>
      </section>
      <section v-if="found.weeks.length > 1">
        <h2>Week by week</h2>
        <table class="weeks">
          <thead>
            <tr>
              <th>Week of</th>
              <th>Posted</th>
              <th><span class="visually-hidden">as bars</span></th>
              <th>Opened</th>
              <th>Clicked</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in found.weeks" :key="one.week">
              <td class="postmark">{{ one.week }}</td>
              <td class="postmark num">
                <button class="link" @click="naming = { outcome: 'posted', reason: '', of: { week: one.begins } }">
                  {{ one.posted }}
                </button>
              </td>
              <td class="bars" aria-hidden="true">
                <i :style="{ width: `${(100 * one.posted) / most}%` }" /><i
                  class="opened"
                  :style="{ width: `${(100 * one.opened) / most}%` }"
                />
              </td>
              <td class="postmark num">
                <button class="link" @click="naming = { outcome: 'opened', reason: '', of: { week: one.begins } }">
                  {{ one.opened }}
                </button>
              </td>
              <td class="postmark num">
                <button class="link" @click="naming = { outcome: 'clicked', reason: '', of: { week: one.begins } }">
                  {{ one.clicked }}
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section v-if="found.versions.length > 1 || found.steps.length > 1">
        <h2>Where from</h2>
        <ul class="reasons">
          <li v-for="one in found.steps" :key="one.sequence + one.step">
            <button class="link" @click="chosen = `step|${one.sequence}|${one.step}`">
              <b class="postmark">{{ one.posted }}</b> {{ one.name }}
            </button>
          </li>
          <li v-for="one in found.versions" :key="one.version">
            <button class="link" @click="chosen = `version|${one.version}`">
              <b class="postmark">{{ one.posted }}</b> of version {{ one.version }}
            </button>
          </li>
        </ul>
      </section>
    </template>
  </div>
  <EmptyState v-else-if="error" title="These figures can't be shown">{{ error.message }}</EmptyState>
  <OutcomeNames
    v-if="naming"
    :of="[id, which, naming.of]"
    :outcome="naming.outcome"
    :reason="naming.reason"
    :find="
      (query) =>
        data(
          api.GET('/api/letters/{key}/figures/{outcome}', {
            params: {
              path: { key: id, outcome: (naming?.outcome ?? 'posted') as 'posted' },
              query: { ...which, ...naming?.of, ...query },
            },
          }),
        )
    "
    @close="naming = null"
  />
</template>

<style scoped>
.room {
  padding: 16px 22px 40px;
  display: flex;
  flex-direction: column;
  gap: 14px;
  overflow: auto;
  max-width: 1080px;
}
.small {
  font-size: 12.5px;
  margin: 0;
}
.pad {
  padding: 8px 14px;
}
.scroll {
  overflow-x: auto;
}
.num {
  text-align: right !important;
}
h2 {
  margin-bottom: 4px;
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
.weeks {
  border-collapse: collapse;
  width: 100%;
  max-width: 640px;
}
.weeks th {
  text-align: left;
  font-weight: 500;
  font-size: 12.5px;
  color: var(--soft);
  padding: 2px 10px 4px 0;
}
.weeks td {
  padding: 3px 14px 3px 0;
  white-space: nowrap;
}
.bars {
  width: 60%;
  position: relative;
  height: 22px;
}
.bars i {
  position: absolute;
  left: 0;
  top: 5px;
  height: 12px;
  background: #c3d4e2;
  border-radius: 2px;
  min-width: 2px;
}
.bars .opened {
  background: #38699c;
}
</style>
