<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed, watch } from "vue";

import KeptFile from "../parts/KeptFile.vue";
import { rooted } from "../api/base";
import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import EmptyState from "../parts/EmptyState.vue";
import { useInAddress } from "../parts/in-address";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import PageLinks from "../parts/PageLinks.vue";

/** What was changed by hand or by a key: who, when, before and after. */
const notice = useNotice();
const asked = useInAddress({ q: "", who: "", page: 1 });
watch(
  () => [asked.q, asked.who],
  () => (asked.page = 1),
);
const { data: found } = useQuery({
  queryKey: ["changes", asked],
  queryFn: () => data(api.GET("/api/changes", { params: { query: { ...asked } } })),
  placeholderData: keepPreviousData,
});
const csv = computed(() => rooted(`/api/changes/csv?${new URLSearchParams({ q: asked.q, who: asked.who })}`));
const back = useAct((id: number) => data(api.POST("/api/changes/{id}/put-back", { params: { path: { id } } })), {
  done: (out) => notice.done(`${out.title}: it is as it was.`),
});
async function putBack(one: Api["WrittenOut"]): Promise<void> {
  const said = `${one.title}, as it was before ${one.at}. This is written down here as well.`;
  if (await notice.ask("Put it back?", said, "Put it back", "Not now")) back.mutate(one.id);
}
const YEARS = [90, 180, 365, 730, 1825, 3650];
const days = computed(() => {
  const now = found.value?.days ?? 365;
  return [...new Set([...YEARS, now])]
    .sort((a, b) => a - b)
    .map((value) => ({
      value,
      label: value % 365 ? `${value} days` : value === 365 ? "a year" : `${value / 365} years`,
    }));
});
const keep = useAct((value: number) => data(api.PUT("/api/changes/days", { body: { days: value } })), {
  done: () => notice.done("It is kept for as long as you said."),
  refreshes: ["changes"],
});
</script>

<template>
  <PageHead title="What was changed" :above="{ to: '/school', name: 'School' }">
    <Input
      v-model:value="asked.q"
      placeholder="A name, a letter, a word"
      aria-label="Find a change"
      allow-clear
      style="width: 210px"
    />
    <Select
      v-model:value="asked.who"
      v-named="'Who'"
      :options="[
        { value: '', label: 'By anybody' },
        ...(found?.people ?? []).map((one) => ({ value: one, label: one })),
      ]"
      :dropdown-match-select-width="false"
      style="width: 170px"
    />
    <KeptFile :href="csv"><Button>CSV</Button></KeptFile>
  </PageHead>
  <div v-if="found" class="room">
    <template v-if="found.items.length">
      <ol class="sheet">
        <li v-for="one in found.items" :key="one.id">
          <div>
            <div class="postmark">{{ one.at }}</div>
            <div class="label">
              <bdi>{{ one.who }}</bdi>
            </div>
          </div>
          <div>
            <RouterLink v-if="one.to" :to="one.to"
              ><bdi>{{ one.title }}</bdi></RouterLink
            ><bdi v-else>{{ one.title }}</bdi>
            <div v-for="(line, at) in one.lines" :key="at" class="line">
              <span class="soft">{{ line.what }}</span>
              <span
                ><template v-if="line.before"
                  ><del
                    ><bdi>{{ line.before }}</bdi></del
                  >{{ " → " }}</template
                ><ins
                  ><bdi>{{ line.after || (line.before ? "nothing" : "") }}</bdi></ins
                ></span
              >
            </div>
          </div>
          <Button v-if="one.back" size="small" @click="putBack(one)">Put it back</Button>
        </li>
      </ol>
      <PageLinks v-model="asked.page" :total="found.total" />
    </template>
    <EmptyState v-else-if="asked.q || asked.who" title="Nothing fits">No change has all these words in it.</EmptyState>
    <EmptyState v-else title="Nothing has been changed yet"
      >Whoever changes a letter, a sequence, a setting or a student by hand, or with a key, is written down
      here.</EmptyState
    >
    <label class="kept"
      >Kept for
      <Select
        v-named="'Kept for'"
        :value="found.days"
        :options="days"
        style="width: 130px"
        @change="(value) => keep.mutate(Number(value))"
    /></label>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 170px minmax(0, 1fr) auto;
  gap: 4px 18px;
  align-items: start;
  padding: 10px 18px;
}
li + li {
  border-top: 1px solid var(--rule2);
}
.line {
  display: grid;
  grid-template-columns: minmax(90px, 190px) minmax(0, 1fr);
  gap: 0 14px;
  font-size: 13.5px;
  overflow-wrap: anywhere;
}
del {
  color: var(--soft);
}
ins {
  text-decoration: none;
}
.kept {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--soft);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  li {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  li > :nth-child(2) {
    grid-column: 1 / -1;
    grid-row: 2;
  }
  .line {
    grid-template-columns: minmax(0, 1fr);
    padding-top: 4px;
  }
}
</style>
