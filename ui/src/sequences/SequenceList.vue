<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { computed, ref, toRefs } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data, ONLY_NEW } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import { freeKey } from "../parts/keys";
import PageHead from "../parts/PageHead.vue";
import DuplicateDialog from "./DuplicateDialog.vue";
import StarterDialog from "./StarterDialog.vue";
import { STATUS } from "./words";
import { hasDraft } from "../parts/draft";
import { useInAddress } from "../parts/in-address";

const router = useRouter();
const asking = ref(false);
const starters = ref(false);
const copying = ref<Api["SequenceSummary"] | null>(null);
const name = ref("");
const { data: sequences } = useQuery({ queryKey: ["sequences"], queryFn: () => data(api.GET("/api/sequences")) });
// What is over is out of sight until it is asked for.
const { closed } = toRefs(useInAddress({ closed: false as boolean }));
const over = computed(() => (sequences.value ?? []).filter((one) => one.status === "closed").length);
/** By course, those without one last. */
const groups = computed(() => {
  const found = new Map<string, Api["SequenceSummary"][]>();
  for (const one of (sequences.value ?? []).filter((each) => closed.value || each.status !== "closed"))
    found.set(one.course ?? "", [...(found.get(one.course ?? "") ?? []), one]);
  return [...found.entries()].sort(([a], [b]) => Number(!a) - Number(!b));
});
const open = (key: string) => router.push(`/sequences/${key}`);
const create = useAct(
  async () => {
    const key = freeKey(
      name.value,
      (sequences.value ?? []).map((s) => s.key),
    );
    await data(
      api.PUT("/api/sequences/{key}", {
        params: { path: { key }, header: ONLY_NEW },
        body: { name: name.value.trim(), status: "draft", again: "once_per_subject" },
      }),
    );
    return key;
  },
  { done: open },
);
</script>

<template>
  <PageHead title="Sequences"
    ><Button @click="starters = true">Begin with a starter</Button
    ><Button type="primary" @click="asking = true">New sequence</Button></PageHead
  >
  <div class="room">
    <div v-if="sequences?.length" class="sheet scroll">
      <table class="plain cards">
        <thead>
          <tr>
            <th>Sequence</th>
            <th>State</th>
            <th class="num">Inside</th>
            <th class="num">Finished</th>
            <th class="num">Left early</th>
            <th>Next letter</th>
            <th>Length</th>
            <th />
          </tr>
        </thead>
        <tbody v-for="[course, found] in groups" :key="course">
          <tr class="group">
            <th colspan="8" scope="rowgroup">
              <h2>{{ course || "Any course" }}</h2>
            </th>
          </tr>
          <tr v-for="s in found" :key="s.key" class="opens" @click="router.push(`/sequences/${s.key}`)">
            <td>
              <RouterLink :to="`/sequences/${s.key}`" class="name" @click.stop>{{ s.name }}</RouterLink>
              <div class="soft">{{ s.starts ? `When a student has ${s.starts}` : "Nothing starts it yet" }}</div>
              <div v-if="s.faults" class="fault">✗ {{ s.faults }} {{ s.faults === 1 ? "fault" : "faults" }}</div>
              <div v-if="s.warnings" class="warn">
                ▲ {{ s.warnings }} {{ s.warnings === 1 ? "warning" : "warnings" }}
              </div>
            </td>
            <td>
              <span class="pill" :class="s.status">{{ STATUS[s.status] }}</span>
              <div v-if="s.unfinished" class="soft">unfinished</div>
              <div v-if="hasDraft(`sequence:${s.key}`)" class="warn">changes not saved</div>
            </td>
            <td class="num postmark" data-label="inside">{{ s.inside }}</td>
            <td class="num postmark" data-label="finished">{{ s.finished }}</td>
            <td class="num postmark" data-label="left early">{{ s.left }}</td>
            <td class="next">
              <template v-if="s.next"
                ><span class="postmark">{{ s.next.at }}</span>
                <div class="soft">{{ s.next.letter }}</div></template
              >
            </td>
            <td class="soft length">
              {{ s.letters }} {{ s.letters === 1 ? "letter" : "letters"
              }}<template v-if="s.days"> in {{ s.days }} {{ s.days === 1 ? "day" : "days" }}</template>
            </td>
            <td>
              <Button
                size="small"
                type="text"
                :aria-label="`Duplicate ${s.name} for another course`"
                @click.stop="copying = s"
                >Duplicate</Button
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <button v-if="over" class="link over" @click="closed = !closed">
      {{ closed ? "Without those that are closed" : `Show ${over} closed` }}
    </button>
    <EmptyState v-if="sequences && !sequences.length" title="No sequences yet"
      >A sequence posts letters one after another when a student buys, enrols or finishes something. Begin with a
      starter, or with an empty one.</EmptyState
    >
  </div>
  <AskDialog
    v-model:open="asking"
    title="New sequence"
    ok="Make it"
    :busy="create.isPending.value"
    :ready="Boolean(name.trim())"
    @ok="create.mutate()"
  >
    <label
      >What do you call it? Students never see this name.<Input
        v-model:value="name"
        placeholder="First Hive · welcome week"
    /></label>
  </AskDialog>
  <StarterDialog :open="starters" @close="starters = false" @made="open" />
  <DuplicateDialog :sequence="copying" @close="copying = null" @made="open" />
</template>

<style scoped>
.room {
  padding: 14px 22px 30px;
  display: flex;
  flex-direction: column;
  gap: 18px;
}
.scroll {
  overflow-x: auto;
}
.group th {
  padding: 14px 14px 6px;
  background: var(--sheet2);
  border-bottom: 1px solid var(--rule2);
}
.group h2 {
  margin: 0;
}
.name {
  font: 600 15px var(--title);
  color: var(--ink);
  text-decoration: none;
}
.soft {
  font-size: 13px;
}
.num {
  text-align: right !important;
}
.length {
  white-space: nowrap;
}
.next {
  min-width: 120px;
}
.warn {
  color: var(--warn);
  font-size: 13px;
}
.fault {
  color: var(--red);
  font-size: 13px;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  .num[data-label]::after {
    content: " " attr(data-label);
    font: 13px var(--text);
    color: var(--soft);
  }
  .next:empty {
    display: none;
  }
}
</style>
