<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import Progress from "ant-design-vue/es/progress";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { inPractice, may } from "../api/rights";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { counted } from "../parts/counted";
import EmptyState from "../parts/EmptyState.vue";
import NamesDialog from "../parts/NamesDialog.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";

/** Findings over the whole school, by students touched, each with its reason and what mends it. */
type Finding = Api["WholeFinding"];
const router = useRouter();
const notice = useNotice();
const client = useQueryClient();
const { data: found, error } = useQuery({
  queryKey: ["findings"],
  queryFn: () => data(api.GET("/api/findings")),
  refetchInterval: ({ state }) => (state.data && state.data.done !== null ? 700 : false),
});
const busy = computed(() => found.value?.done !== null && found.value?.done !== undefined);
const look = useAct(() => data(api.POST("/api/findings/look")), { refreshes: ["findings"] });
// Nobody has looked yet: then it is done now.
watch(
  found,
  (now) => {
    if (now && now.at === null && now.done === null && may("run")) look.mutate();
  },
  { immediate: true },
);
const named = ref<Finding | null>(null);
const aside = ref<Finding | null>(null);
const reason = ref("");
const put = useAct(
  (one: Finding) => data(api.POST("/api/findings/aside", { body: { key: one.key, reason: reason.value.trim() } })),
  { done: () => ((aside.value = null), (reason.value = "")), refreshes: ["findings"] },
);
const back = useAct((key: string) => data(api.POST("/api/findings/back", { body: { key } })), {
  refreshes: ["findings"],
});
const nudge = useAct(
  (one: Api["Nudged"]) =>
    data(api.POST("/api/courses/{key}/nudge", { params: { path: { key: one.course } }, body: { stop: one.stop } })),
  {
    done: ({ key }) => {
      notice.done("Drafted, with a letter. Read it, change it, rehearse it; nothing goes out until you run it.");
      void router.push(`/sequences/${key}`);
    },
  },
);
const links = useAct((now: boolean) => data(api.PUT("/api/findings/links", { body: { look: now } })), {
  refreshes: ["findings"],
});
const find = (asked: { q: string; page: number }) =>
  data(api.GET("/api/findings/students", { params: { query: { key: named.value?.key ?? "", ...asked } } }));
function mend(one: Finding): void {
  if (one.nudge) nudge.mutate(one.nudge);
  else if (one.to) void router.push(one.to);
  else named.value = one;
}
watch(busy, (now, before) => before && !now && void client.invalidateQueries({ queryKey: ["findings"] }));
</script>

<template>
  <PageHead title="Check-up" :above="{ to: '/school', name: 'School' }"
    ><RouterLink v-if="may('settings')" to="/school/check-up"><Button>How it runs</Button></RouterLink
    ><Button v-needs="'run'" :loading="busy || look.isPending.value" @click="look.mutate()"
      >Look again</Button
    ></PageHead
  >
  <div class="sheets">
    <p v-if="error" role="alert" class="refused">{{ error.message }}</p>
    <div v-if="busy" role="status">
      <p class="soft">Looking over the whole school, in the background …</p>
      <Progress :percent="Math.round((100 * (found?.done ?? 0)) / Math.max(1, found?.total ?? 1))" :show-info="false" />
    </div>
    <p v-else-if="found?.at" class="soft">
      As it was on {{ found.at }}:
      {{ found.findings.length ? counted(found.findings.length, "finding") : "nothing found" }}, those that touch most
      students first.
    </p>
    <EmptyState v-if="found?.at && !found.findings.length" title="The school is well"
      >Nobody is forgotten, nothing in your letters has passed, and every address works as far as can be
      told.</EmptyState
    >
    <article
      v-for="one in found?.findings ?? []"
      :key="one.key"
      class="sheet box finding"
      :data-testid="`finding-${one.code}`"
    >
      <h2>{{ one.title }}</h2>
      <p>{{ one.why }}</p>
      <p v-if="one.came_back" class="warn">You had put this aside; it has got worse since.</p>
      <div class="acts">
        <Button size="small" type="primary" :loading="nudge.isPending.value && !!one.nudge" @click="mend(one)">{{
          one.mend
        }}</Button>
        <Button v-if="one.students && one.to && may('students')" size="small" @click="named = one">Who</Button>
        <RouterLink v-if="one.nudge" :to="one.to">The course</RouterLink>
        <button v-needs="'run'" class="link" :aria-label="`Put aside: ${one.title}`" @click="aside = one">
          Put aside
        </button>
      </div>
    </article>
    <details v-if="found?.aside.length" class="sheet box">
      <summary>{{ counted(found.aside.length, "finding") }} put aside</summary>
      <ul>
        <li v-for="one in found.aside" :key="one.key">
          {{ one.title }}
          <div class="label">“{{ one.reason }}”, {{ one.at }}</div>
          <button v-needs="'run'" class="link" @click="back.mutate(one.key)">Bring it forward again</button>
        </li>
      </ul>
    </details>
    <section v-if="found && may('run')" class="sheet box">
      <Checkbox :checked="found.links" @change="links.mutate(!found.links)"
        >Ask the links in my letters whether they open</Checkbox
      >
      <p class="soft">
        One address every twenty seconds, each once a week, and none inside your own network.<template
          v-if="inPractice && !found.practice_links"
        >
          A practice school asks nobody.</template
        >
      </p>
    </section>
  </div>
  <NamesDialog
    v-if="named"
    :of="['finding', named.key]"
    :find="find"
    :title="(total) => (total === undefined ? 'Who' : counted(total, 'student'))"
    @close="named = null"
  />
  <AskDialog
    :open="aside !== null"
    title="Put aside"
    ok="Put aside"
    :ready="Boolean(reason.trim())"
    :busy="put.isPending.value"
    @cancel="aside = null"
    @ok="aside && put.mutate(aside)"
  >
    <p>{{ aside?.title }}</p>
    <label
      >Why may it stay as it is?<Input v-model:value="reason" :maxlength="300" placeholder="They are my testers"
    /></label>
    <p class="soft">It comes back when it touches more than now.</p>
  </AskDialog>
</template>

<style scoped>
.sheets > .finding {
  gap: 6px;
}
h2,
p {
  overflow-wrap: anywhere;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  align-items: center;
}
ul {
  margin: 8px 0 0;
  padding-left: 18px;
}
.warn {
  color: var(--warn);
}
.refused {
  color: var(--red);
}
</style>
