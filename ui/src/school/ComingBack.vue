<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";

/** After coming back from a copy: what may have gone out already, and whether it is to be posted. */
const notice = useNotice();
const router = useRouter();
const { data: found } = useQuery({
  queryKey: ["coming-back"],
  queryFn: () => data(api.GET("/api/coming-back")),
  refetchInterval: (query) => (query.state.data?.busy ? 1_000 : false),
});
type Group = Api["GroupOut"];
const doubtful = computed(() => (found.value?.groups ?? []).filter((one) => !one.fresh));
const fresh = computed(() => (found.value?.groups ?? []).filter((one) => one.fresh));
const open = computed(() => doubtful.value.filter((one) => one.answer === null));
const posting = computed(() => doubtful.value.filter((one) => one.answer === "post"));
const sum = (groups: Group[]) => groups.reduce((all, one) => all + one.number, 0);
const letters = (number: number) => (number === 1 ? "1 letter" : `${number} letters`);
const say = useAct(
  ({ group, answer }: { group: Group; answer: "post" | "taken" }) => {
    const { source, letter, day } = group;
    return data(api.POST("/api/coming-back/groups", { body: { source, letter, day, answer } }));
  },
  { refreshes: ["coming-back"] },
);
const prove = useAct((text: string) => data(api.POST("/api/coming-back/proof", { body: { text } })), {
  done: ({ number }) =>
    notice.done(number ? `${letters(number)} went out already: taken as posted.` : "It names none of these letters."),
  refreshes: ["coming-back"],
});
const finish = useAct(() => data(api.POST("/api/coming-back/finish")), {
  done: () => {
    notice.done("The post goes on.");
    void router.push("/today");
  },
});
const file = ref<HTMLInputElement>();
async function take(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0];
  if (chosen) prove.mutate(await chosen.text());
  if (file.value) file.value.value = "";
}
const shown = ref("");
const name = (one: Group) => `${one.source} ${one.letter} ${one.day} ${one.fresh}`;
</script>

<template>
  <PageHead title="Coming back from a copy" :above="{ to: '/school', name: 'School' }"
    ><Button
      v-if="found?.open"
      type="primary"
      :disabled="open.length > 0 || found.busy"
      :loading="finish.isPending.value"
      @click="finish.mutate()"
      >Let the post go on</Button
    ></PageHead
  >
  <div v-if="found && !found.open" class="room">
    <section class="sheet box">
      <p>The school is not coming back from a copy: its post goes out as usual.</p>
      <div><RouterLink to="/school/copies">Copies</RouterLink></div>
    </section>
  </div>
  <div v-else-if="found" class="room">
    <section class="sheet box">
      <p>
        This school is as it was on <b class="postmark">{{ found.since }}</b>, and was opened again on
        <b class="postmark">{{ found.began }}</b>. What happened in between is not known here.
        <b>Nothing is posted</b> until you have been through these three steps.
      </p>
    </section>
    <section class="sheet box" aria-label="First: what happened meanwhile">
      <h2>1 · First, what happened meanwhile</h2>
      <p class="soft">
        Have shops and course sites send once more what they sent since then, or bring it as a file. What is known twice
        is taken in once. What comes later than this step may post a letter a second time.
      </p>
      <div class="ways">
        <RouterLink v-for="one in found.connections" :key="one.key" :to="`/school/connections/${one.key}`"
          ><Button size="small">{{ one.name }}</Button></RouterLink
        >
        <RouterLink to="/school/connections"><Button size="small">Connections, and files of events</Button></RouterLink>
      </div>
    </section>
    <section class="sheet box" aria-label="Second: what may have gone out">
      <h2>2 · What may have gone out already</h2>
      <p v-if="found.busy" role="status">What fell due in that time is still being worked out …</p>
      <p v-else-if="!doubtful.length">Nothing: no letter fell due in that time.</p>
      <template v-else>
        <p class="soft">
          A folder of sent messages, or the log of your mail server, proves what went out.
          <button class="link" @click="file?.click()">Bring the file</button
          ><input ref="file" type="file" class="visually-hidden" aria-label="Sent messages or log" @change="take" />
        </p>
        <table class="plain cards">
          <thead>
            <tr>
              <th>Letter</th>
              <th>Due</th>
              <th class="num">Letters</th>
              <th>What shall be done?</th>
            </tr>
          </thead>
          <tbody>
            <template v-for="one in doubtful" :key="name(one)">
              <tr :class="{ said: one.answer }">
                <td>
                  <b>{{ one.letter_name }}</b>
                  <div class="label">{{ one.source_name }}</div>
                </td>
                <td class="postmark">{{ one.first === one.last ? one.first : `${one.first} to ${one.last}` }}</td>
                <td class="num">
                  <button
                    class="link"
                    :aria-expanded="shown === name(one)"
                    @click="shown = shown === name(one) ? '' : name(one)"
                  >
                    {{ one.number }}
                  </button>
                </td>
                <td>
                  <div class="ways">
                    <Button
                      size="small"
                      :type="one.answer === 'post' ? 'primary' : 'default'"
                      :aria-pressed="one.answer === 'post'"
                      @click="say.mutate({ group: one, answer: 'post' })"
                      >Post</Button
                    ><Button size="small" @click="say.mutate({ group: one, answer: 'taken' })">Take as posted</Button>
                  </div>
                </td>
              </tr>
              <tr v-if="shown === name(one)">
                <td colspan="4" class="soft">{{ one.names.join(", ") }}</td>
              </tr>
            </template>
          </tbody>
        </table>
      </template>
    </section>
    <section class="sheet box" aria-label="Third: let the post go on">
      <h2>3 · Let the post go on</h2>
      <p v-if="open.length">
        {{ letters(sum(open)) }} still {{ sum(open) === 1 ? "waits" : "wait" }} for your word above.
      </p>
      <p v-else>
        Then {{ letters(sum(posting) + sum(fresh)) }} go out at once<template v-if="fresh.length"
          >, {{ sum(fresh) }} of them about what happened since the school is back</template
        >.
      </p>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 18px;
  max-width: 900px;
}
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
p {
  margin: 0;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.num {
  text-align: right;
}
.said td {
  background: var(--well-bg);
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
}
</style>
