<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import PickedNames from "../conditions/PickedNames.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";

const client = useQueryClient();
const notice = useNotice();
const q = ref("");
const { data: tags } = useQuery({ queryKey: ["tags"], queryFn: () => data(api.GET("/api/tags")) });
const shown = computed(() => (tags.value ?? []).filter((one) => one.tag.toLowerCase().includes(q.value.toLowerCase())));
const naming = ref<string | null>(null);
const renaming = ref<Api["TagOut"] | null>(null);
const to = ref("");
const merges = computed(() =>
  tags.value?.find((one) => one.tag === to.value.trim() && one.tag !== renaming.value?.tag),
);
const PLACES: Record<string, string> = {
  sequence: "/sequences",
  letter: "/letters",
  broadcast: "/broadcasts",
  audience: "/audiences",
  offer: "/courses",
};
const link = (use: Api["UseOut"]) =>
  ["audience", "offer"].includes(use.kind) ? (PLACES[use.kind] ?? "/tags") : `${PLACES[use.kind]}/${use.key}`;
function after(text: string): void {
  renaming.value = null;
  notice.done(text);
  void client.invalidateQueries();
}
const rename = useAct(
  () => data(api.POST("/api/tags/rename", { body: { tag: renaming.value?.tag ?? "", to: to.value.trim() } })),
  { done: () => after("Renamed everywhere."), refreshes: [] },
);
const remove = useAct((tag: string) => data(api.POST("/api/tags/remove", { body: { tag } })), {
  done: () => after("Removed everywhere."),
  refreshes: [],
});
async function askRemove(one: Api["TagOut"]): Promise<void> {
  const gives = one.gives.length ? ` ${one.gives.map((use) => use.name).join(", ")} will not give it any more.` : "";
  const asks = one.asks.length
    ? ` ${one.asks.map((use) => use.name).join(", ")} still ask for it, and will find nobody.`
    : "";
  if (
    await notice.ask(
      `Remove “${one.tag}” everywhere?`,
      `${one.students} students lose it.${gives}${asks} Nothing is set going by that.`,
      "Remove it",
      "Keep it",
    )
  )
    remove.mutate(one.tag);
}
</script>

<template>
  <PageHead title="Tags" :above="{ to: '/students', name: 'Students' }">
    <template #beside
      ><span v-if="tags" class="soft">{{ tags.length }}</span></template
    >
    <RouterLink to="/purchases">Who bought after getting one?</RouterLink>
    <Input v-model:value="q" placeholder="Find a tag" aria-label="Find a tag" allow-clear style="width: 190px" />
  </PageHead>
  <div class="room">
    <div v-if="shown.length" class="sheet scroll">
      <table class="plain">
        <thead>
          <tr>
            <th>Tag</th>
            <th class="num">Students</th>
            <th>What gives it</th>
            <th>What asks for it</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in shown" :key="one.tag">
            <td>
              <span class="luggage">{{ one.tag }}</span>
              <div v-if="one.note" class="label note">{{ one.note }}</div>
            </td>
            <td class="num">
              <button class="link postmark" @click="naming = one.tag">{{ one.students }}</button>
            </td>
            <td>
              <div v-for="use in one.gives" :key="use.kind + use.key">
                <span class="label">{{ use.kind }}</span>{{ " "
                }}<RouterLink :to="link(use)">{{ use.name }}</RouterLink>
              </div>
              <span v-if="!one.gives.length" class="soft">by hand, by import or from the course site</span>
              <div v-for="use in one.takes" :key="'t' + use.kind + use.key" class="label">
                taken off by {{ use.name }}
              </div>
            </td>
            <td>
              <div v-for="use in one.asks" :key="use.kind + use.key">
                <span class="label">{{ use.kind }}</span>{{ " "
                }}<RouterLink :to="link(use)">{{ use.name }}</RouterLink>
              </div>
              <span v-if="!one.asks.length" class="note">nothing</span>
            </td>
            <td class="acts">
              <Button size="small" @click="((renaming = one), (to = one.tag))">Rename or merge</Button
              ><Button size="small" type="text" danger @click="askRemove(one)">Remove</Button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <EmptyState v-else-if="tags" title="No tags"
      >They come with offers, answers, sequences and imports, or by hand.</EmptyState
    >
  </div>
  <PickedNames v-if="naming" :lines="[{ is: 'tagged', tag: naming }]" :course="null" @close="naming = null" />
  <AskDialog
    :open="renaming !== null"
    :title="`Rename “${renaming?.tag ?? ''}”`"
    :ok="merges ? 'Merge' : 'Rename'"
    :busy="rename.isPending.value"
    :ready="Boolean(to.trim()) && to.trim() !== renaming?.tag"
    @update:open="renaming = null"
    @ok="rename.mutate()"
  >
    <label>New name<Input v-model:value="to" aria-label="New name" /></label>
    <p v-if="renaming" class="soft">
      {{ renaming.students }} students have it; it stands in
      {{ renaming.gives.length + renaming.takes.length + renaming.asks.length }} places, which all change. Nothing is
      set going by that.
    </p>
    <p v-if="merges" class="blank">
      ▲ There is a tag “{{ merges.tag }}” already ({{ merges.students }} students): the two become one, and can't be
      told apart again.
    </p>
  </AskDialog>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 16px;
}
.scroll {
  overflow-x: auto;
}
.num {
  text-align: right !important;
}
.note {
  color: var(--warn);
}
.acts {
  white-space: nowrap;
}
.blank {
  color: var(--warn);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
