<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Progress from "ant-design-vue/es/progress";
import Radio, { Group as RadioGroup } from "ant-design-vue/es/radio";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";

/** In a school that writes to real students: where one practises instead, in a copy beside it. */
type Names = Api["CopyOf"]["names"];
const notice = useNotice();
const names = ref<Names>("real");
const { data: found } = useQuery({
  queryKey: ["practice-copy"],
  queryFn: () => data(api.GET("/api/practice-copy")),
  refetchInterval: (query) => (query.state.data?.state === "making" ? 700 : false),
});
const REFRESHES = ["practice-copy"];
const make = useAct(() => data(api.POST("/api/practice-copy", { body: { names: names.value } })), {
  refreshes: REFRESHES,
});
const throwAway = useAct(() => data(api.DELETE("/api/practice-copy")), {
  done: () => notice.done("The practice copy is gone."),
  refreshes: REFRESHES,
});
async function away(): Promise<void> {
  const said = "Everything that was tried in it goes. In the school nothing changes.";
  if (await notice.ask("Throw the practice copy away?", said, "Throw it away", "Not now")) throwAway.mutate();
}
const WITH = {
  real: "with the students' own names",
  made_up: "with made-up names",
  demo: "of the demo school",
} as const;
const percent = computed(() => Math.round((100 * (found.value?.done ?? 0)) / Math.max(1, found.value?.total ?? 1)));
const open = (to: string) => window.location.assign(`${found.value?.address ?? ""}${to}`);
</script>

<template>
  <PageHead title="Practice classroom" />
  <div v-if="found" class="room">
    <section class="sheet box" aria-label="Practice copy">
      <p>
        This school writes to real students, so nothing is tried on them here. Practise in a copy beside it: all your
        courses, letters, sequences and students as they are now, with a clock that you can move. Its letters go to a
        mailroom on this machine and nowhere else; what you try there changes nothing here. Letters and sequences that
        turn out well can be taken over as drafts.
      </p>
      <p v-if="found.refused" role="alert" class="refused">{{ found.refused }}</p>
      <template v-if="found.state === 'making'">
        <p role="status">The copy is being made …</p>
        <Progress :percent="percent" :show-info="false" />
      </template>
      <template v-else-if="found.state === 'ready'">
        <p>
          There is a practice copy {{ WITH[(found.names ?? "real") as Names] }}, made
          <span class="postmark">{{ found.made }}</span>. It goes by itself on
          <span class="postmark">{{ found.ends }}</span>.
        </p>
        <div class="acts">
          <Button type="primary" @click="open('/practice')">Open the practice classroom</Button>
          <Button @click="open('/today')">Look round in the copy</Button>
          <Button :loading="throwAway.isPending.value" @click="away">Throw it away</Button>
        </div>
      </template>
      <template v-else>
        <RadioGroup v-model:value="names" class="ways" aria-label="Whose names">
          <Radio value="real"
            >With the students' own names <span class="soft">· only you and your helpers see it</span></Radio
          >
          <Radio value="made_up"
            >With made-up names
            <span class="soft">· to show it to somebody; their own words and addresses are left out</span></Radio
          >
          <Radio value="demo"
            >The demo school instead <span class="soft">· 386 students, half a year; takes a while</span></Radio
          >
        </RadioGroup>
        <div>
          <Button type="primary" :loading="make.isPending.value" @click="make.mutate()">Make a practice copy</Button>
        </div>
        <p class="soft">It goes by itself after {{ found.days }} days.</p>
      </template>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  max-width: 820px;
}
.box {
  padding: 16px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 14px;
}
p {
  margin: 0;
}
.ways {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.ways :deep(.ant-radio-wrapper) {
  white-space: normal;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
}
.refused {
  color: var(--red);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
