<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import ShareBars from "../figures/ShareBars.vue";
import { percent, place } from "../figures/scale";
import BeingCounted from "../figures/BeingCounted.vue";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import SequencePeople from "./SequencePeople.vue";
import StandingHere from "./StandingHere.vue";

/** A sequence in figures along its days: who began, finished and left, and where; and the goal of its trial. */
const props = defineProps<{ id: string }>();
const path = computed(() => ({ key: props.id }));
const { data: found, error } = useQuery({
  queryKey: ["sequence-figures", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}/figures", { params: { path: path.value } })),
});
const { data: trial } = useQuery({
  queryKey: ["trial", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}/trial", { params: { path: path.value } })),
});
const people = ref<"" | "inside" | "finished" | "left">("");
const standing = ref("");
const most = computed(() =>
  Math.max(1, ...(found.value?.steps ?? []).map((one) => one.sent + one.skipped + one.stuck)),
);
const posts = (one: Api["StepLine"]) => one.kind === "send" || one.kind === "tell";
const tiles = computed(() =>
  found.value
    ? [
        { label: "Began", number: found.value.started, group: "" as const },
        { label: "Inside now", number: found.value.inside, group: "inside" as const },
        { label: "Finished", number: found.value.finished, group: "finished" as const },
        { label: "Left early", number: found.value.left, group: "left" as const },
        ...(["stopped", "stuck", "held_back"] as const)
          .filter((name) => found.value?.[name])
          .map((name) => ({
            label: { stopped: "Stopped by you", stuck: "Stuck", held_back: "Held back by lot" }[name],
            number: found.value?.[name] ?? 0,
            group: "" as const,
          })),
      ]
    : [],
);
</script>

<template>
  <template v-if="found">
    <PageHead title="Figures" :above="{ to: `/sequences/${id}`, name: found.name }">
      <RouterLink :to="`/sequences/${id}/trial`">Does it help?</RouterLink>
    </PageHead>
    <div class="sheets">
      <div class="tiles">
        <component
          :is="one.group ? 'button' : 'div'"
          v-for="one in tiles"
          :key="one.label"
          class="tile sheet"
          @click="one.group && (people = one.group)"
        >
          <span class="label">{{ one.label }}</span><b class="postmark">{{ one.number }}</b>
        </component>
      </div>
      <p v-if="found.share" class="soft">
        Of those who are through or out again, {{ percent(found.share.value) }} finished it, between
        {{ percent(found.share.low) }} and {{ percent(found.share.high) }} in 95 of 100 such cases.
      </p>
      <EmptyState v-if="!found.started && !found.held_back" title="Nobody has come in yet"
        >Once it runs, this page shows where they go and where they stop.</EmptyState
      >
      <section v-else class="sheet box">
        <table>
          <caption class="label">
            Step by step: letters posted, not posted, and who went no further there
          </caption>
          <tbody>
            <tr v-for="one in found.steps" :key="one.step" :class="{ quiet: !posts(one) }">
              <td class="day">
                <b class="postmark">{{ one.day }}</b><br /><span class="label">{{ one.detail }}</span>
              </td>
              <th scope="row">{{ one.words }}</th>
              <td class="drawn">
                <span v-if="posts(one)" class="line" aria-hidden="true"
                  ><i class="sent" :style="{ width: `${place(one.sent, 0, most)}%` }" /><i
                    class="not"
                    :style="{ width: `${place(one.skipped + one.stuck, 0, most)}%` }"
                /></span>
              </td>
              <td class="said">
                <template v-if="posts(one)"
                  ><b class="postmark">{{ one.sent }}</b> posted<template v-if="one.opened"
                    >, opened by <b class="postmark">{{ one.opened }}</b></template
                  ><template v-if="one.skipped + one.stuck"
                    >, <b class="postmark">{{ one.skipped + one.stuck }}</b> not</template
                  ></template
                >
                <div v-if="one.waiting">
                  <button class="link" @click="standing = one.step">{{ one.waiting }} stand here</button>
                </div>
                <div v-if="one.left" class="warn">{{ one.left }} went no further</div>
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section v-if="trial?.now" class="sheet box">
        <h2>The goal, of those written to</h2>
        <ShareBars
          :caption="trial.now.words"
          :bars="[
            {
              key: 'written_to',
              label: 'Written to',
              share: trial.now.written_to.share,
              counts: [],
              note: `${trial.now.written_to.reached} of ${trial.now.written_to.ended}, ${trial.now.written_to.open} still open`,
            },
          ]"
        />
        <RouterLink :to="`/sequences/${id}/trial`">Beside those who were held back</RouterLink>
      </section>
    </div>
    <SequencePeople v-if="people" :id="id" v-model:group="people" @close="people = ''" />
    <StandingHere v-if="standing" :id="id" :step="standing" @close="standing = ''" />
  </template>
  <EmptyState v-else-if="error" title="These figures can't be shown">{{ error.message }}</EmptyState>
  <BeingCounted v-else class="sheets" />
</template>

<style scoped>
.tiles {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(136px, 1fr));
  gap: 10px;
}
.tile {
  padding: 8px 12px;
  display: flex;
  flex-direction: column;
  text-align: left;
  font: inherit;
  color: var(--ink);
}
button.tile {
  cursor: pointer;
}
button.tile:hover {
  border-color: var(--act);
}
.tile b {
  font-size: 24px;
  line-height: 1.3;
}
table {
  width: 100%;
  border-collapse: collapse;
}
caption {
  caption-side: top;
  text-align: left;
  padding-bottom: 6px;
}
td,
th {
  padding: 8px 12px 8px 0;
  border-top: 1px solid var(--rule2);
  text-align: left;
  vertical-align: top;
}
th {
  font: 600 14.5px/1.35 var(--title);
  overflow-wrap: anywhere;
}
.quiet th {
  font: inherit;
  color: var(--soft);
}
.day {
  width: 110px;
}
.drawn {
  width: 28%;
}
.line {
  display: flex;
  height: 16px;
  background: var(--sheet2);
}
.sent {
  background: var(--act);
}
.not {
  background: var(--warn);
  opacity: 0.55;
}
.said {
  width: 230px;
}
@media (max-width: 720px) {
  table,
  caption,
  tbody,
  tr,
  td,
  th {
    display: block;
    width: auto !important;
  }
  td,
  th {
    border-top: 0;
    padding: 2px 0;
  }
  tr {
    border-top: 1px solid var(--rule2);
    padding: 8px 0;
  }
}
@media print {
  .sent,
  .not {
    print-color-adjust: exact;
  }
}
</style>
