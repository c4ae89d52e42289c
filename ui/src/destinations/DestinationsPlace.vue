<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { ref } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import { useThings } from "../api/things";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import DestinationFields, { type Destination } from "./DestinationFields.vue";
import { secretOf } from "./fresh";
import KeysBox from "./KeysBox.vue";
import ListsBox from "./ListsBox.vue";
import { hears, STATES } from "./words";

const router = useRouter();
const making = ref(false);
const fresh = (): Destination => ({ name: "", url: "", kinds: ["purchased", "course_completed"], courses: [] });
const draft = ref(fresh());
const { data: found } = useQuery({
  queryKey: ["destinations"],
  queryFn: () => data(api.GET("/api/destinations")),
});
const { options } = useThings();
const titled = (course: string) => options.value.course?.find((one) => one.value === course)?.label ?? course;
const make = useAct(() => data(api.POST("/api/destinations", { body: draft.value })), {
  done: (now) => {
    making.value = false;
    draft.value = fresh();
    secretOf.value = { key: now.destination.key, secret: now.secret };
    void router.push(`/school/destinations/${now.destination.key}`);
  },
});
</script>

<template>
  <PageHead title="Destinations and keys" :above="{ to: '/school', name: 'School' }">
    <Button type="primary" @click="making = true">Add a destination</Button>
  </PageHead>
  <AskDialog
    v-model:open="making"
    title="Who is to hear of it?"
    ok="Add it"
    :ready="!!draft.name.trim() && !!draft.url && draft.kinds.length > 0"
    :busy="make.isPending.value"
    @ok="make.mutate()"
  >
    <DestinationFields v-model="draft" />
  </AskDialog>
  <div class="room">
    <section v-if="found" class="sheet" aria-label="Destinations">
      <p v-if="found.practice && found.items.length" class="soft practice">
        This is a practice school: what it would post is kept here. Only what runs on this machine hears of it.
      </p>
      <table v-if="found.items.length" class="plain cards">
        <thead>
          <tr>
            <th>Destination</th>
            <th>State</th>
            <th>Hears of</th>
            <th>Taken last</th>
            <th class="num">Taken</th>
            <th class="num">Wait</th>
            <th class="num">Set aside</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="one in found.items"
            :key="one.key"
            class="opens"
            @click="router.push(`/school/destinations/${one.key}`)"
          >
            <td>
              <RouterLink :to="`/school/destinations/${one.key}`" @click.stop>{{ one.name }}</RouterLink>
              <div v-if="one.why ?? one.failing" class="wrong">
                {{ one.why ?? `Takes nothing since ${one.failing}` }}
              </div>
            </td>
            <td>
              <span class="pill" :class="STATES[one.state]?.pill">{{ STATES[one.state]?.says }}</span>
            </td>
            <td>{{ hears(one.kinds, one.courses.map(titled)) }}</td>
            <td class="postmark">{{ one.last ?? "never" }}</td>
            <td class="num postmark">{{ one.sent }}<span class="small"> taken</span></td>
            <td class="num postmark">{{ one.waits + one.kept }}<span class="small"> wait</span></td>
            <td class="num postmark" :class="{ wrong: one.aside }">
              {{ one.aside }}<span class="small"> set aside</span>
            </td>
          </tr>
        </tbody>
      </table>
      <EmptyState v-else title="Nobody outside hears of your school yet"
        >Add the tools that should know when somebody buys, finishes a course or stops news: each message is signed, and
        posted again until it is taken.</EmptyState
      >
    </section>
    <KeysBox />
    <ListsBox />
    <section class="sheet calls">
      <h2>Calls of steps</h2>
      <p class="soft">Steps of sequences can call another program too; what they said and what was answered is kept.</p>
      <RouterLink to="/school/destinations/this"><Button size="small">Look at the calls</Button></RouterLink>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 18px;
}
.practice,
.calls {
  padding: 10px 14px;
  margin: 0;
}
.calls h2,
.calls p {
  margin: 0 0 6px;
}
.num {
  text-align: right;
}
.wrong {
  color: var(--warn);
}
.small {
  display: none;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  .small {
    display: inline;
    font-family: var(--text);
  }
}
</style>
