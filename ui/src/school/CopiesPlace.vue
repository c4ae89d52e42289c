<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Progress from "ant-design-vue/es/progress";

import KeptFile from "../parts/KeptFile.vue";
import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import CopyPhrase from "./CopyPhrase.vue";
import CopyPlaces from "./CopyPlaces.vue";
import { sized } from "./sized";

const { data: found } = useQuery({
  queryKey: ["copies"],
  queryFn: () => data(api.GET("/api/school/copies")),
  refetchInterval: (query) => (query.state.data?.going != null ? 1_000 : 15_000),
});
const make = useAct(() => data(api.POST("/api/school/copies")), { refreshes: ["copies"] });
</script>

<template>
  <PageHead title="Copies" :above="{ to: '/school', name: 'School' }"
    ><Button type="primary" :loading="make.isPending.value || found?.going != null" @click="make.mutate()"
      >Make a copy now</Button
    ></PageHead
  >
  <div v-if="found" class="room">
    <section class="sheet box wide" aria-label="The copies there are">
      <p v-if="found.failing" class="said warn" role="alert">{{ found.failing }}</p>
      <p v-if="found.next" class="soft">
        The next one is made by itself on {{ found.next }}. Seven of days, four of weeks and twelve of months are kept,
        each opened and looked through after it was made; others stay for thirty days.
      </p>
      <p v-else class="soft">A practice school makes no copies by itself; one can be made here.</p>
      <Progress v-if="found.going !== null" :percent="found.going" aria-label="The copy that is being made" />
      <table v-if="found.items.length" class="plain cards">
        <thead>
          <tr>
            <th>Made</th>
            <th>Why</th>
            <th class="num">Size</th>
            <th>Opens</th>
            <th />
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in found.items" :key="one.name">
            <td class="postmark">{{ one.at }}</td>
            <td>{{ one.why }}</td>
            <td class="num postmark">{{ sized(one.size) }}</td>
            <td>{{ one.encrypted ? "with the recovery phrase" : "as it is" }}</td>
            <td><KeptFile :href="`/api/school/copies/${one.name}/file`" :name="one.name">Download</KeptFile></td>
          </tr>
        </tbody>
      </table>
      <EmptyState v-else title="No copy yet"
        >A copy is the whole school in one file: everything on screen, its pictures and its keys.</EmptyState
      >
      <p class="soft">
        They lie in <code>{{ found.folder }}</code>. To come back from one, on this machine or a new one:
        <code>patient-courier restore FILE</code>
      </p>
    </section>
    <CopyPhrase :encrypted="found.encrypted" />
    <CopyPlaces :copies="found" />
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(330px, 1fr));
  gap: 18px;
  align-items: start;
  max-width: 1180px;
}
.wide {
  grid-column: 1 / -1;
}
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
p {
  margin: 0;
}
.num {
  text-align: right;
}
.said {
  border-left: 3px solid var(--warn-mark);
  padding-left: 12px;
  overflow-wrap: anywhere;
}
code {
  font-family: var(--mark);
  overflow-wrap: anywhere;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
