<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import EmptyState from "../parts/EmptyState.vue";
import PageHead from "../parts/PageHead.vue";
import { fieldLabel, readField } from "../letters/field-words";
import { percent } from "./words";

const route = useRoute();
const router = useRouter();
const asking = ref(route.query.new !== undefined);
const name = ref("");
const letter = ref("");
const { data: found } = useQuery({
  queryKey: ["broadcasts"],
  queryFn: () => data(api.GET("/api/broadcasts")),
});
const { data: letters } = useQuery({ queryKey: ["letters"], queryFn: () => data(api.GET("/api/letters")) });
const groups = computed(() =>
  [
    {
      title: "Before they go out",
      items: (found.value ?? []).filter((b) => ["draft", "scheduled"].includes(b.status)),
    },
    { title: "Going out", items: (found.value ?? []).filter((b) => ["going", "paused"].includes(b.status)) },
    { title: "Posted", items: (found.value ?? []).filter((b) => ["done", "stopped"].includes(b.status)) },
  ].filter(({ items }) => items.length),
);
const figure = (b: Api["BroadcastSummary"], what: string) => b.figures.find((one) => one.what === what);
/** A subject with the names of its merge fields. */
const plainSubject = (subject: string) =>
  subject.replace(/\{\{(.*?)\}\}/g, (_, field: string) => `(${fieldLabel(readField(field).name)})`);
const create = useAct(
  () =>
    data(api.POST("/api/broadcasts", { body: { name: name.value.trim(), letter: letter.value || null, to: null } })),
  { done: ({ key }) => router.push(`/broadcasts/${key}`) },
);
</script>

<template>
  <PageHead title="Broadcasts">
    <template #beside><span class="soft wide-only">One letter to many, each of them once.</span></template>
    <Button type="primary" @click="asking = true">New broadcast</Button>
  </PageHead>
  <div class="room">
    <template v-if="groups.length">
      <section v-for="group in groups" :key="group.title">
        <h2>{{ group.title }}</h2>
        <div class="sheet">
          <table class="plain cards">
            <thead>
              <tr>
                <th>Broadcast</th>
                <th>When</th>
                <th class="num">Posted</th>
                <th class="num">Opened</th>
                <th class="num">Clicked</th>
                <th class="num">Answered</th>
                <th class="num">Stopped</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="b in group.items" :key="b.key" class="opens" @click="router.push(`/broadcasts/${b.key}`)">
                <td class="main">
                  <RouterLink :to="`/broadcasts/${b.key}`" class="name" @click.stop>{{ b.name }}</RouterLink>
                  <div class="label">{{ plainSubject(b.subject) }}</div>
                </td>
                <td>
                  <span class="pill" :class="b.status">{{ b.status_words }}</span>{{ " " }}
                  <div class="postmark when">{{ b.when }}</div>
                </td>
                <template v-if="b.figures.length">
                  <td class="num postmark">
                    {{ figure(b, "posted")?.number }}
                    <div class="label">of {{ b.recipients }}</div>
                  </td>
                  <td v-for="what in ['opened', 'clicked', 'answered', 'stopped']" :key="what" class="num postmark">
                    <span class="phone label">{{ what }} </span>{{ figure(b, what)?.number }}
                    <div class="label">{{ percent(figure(b, what)) }}</div>
                  </td>
                </template>
                <td v-else colspan="5" class="soft num">{{ b.status === "draft" ? "not planned yet" : "" }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </section>
    </template>
    <EmptyState v-else-if="found" title="No broadcast yet"
      >Write to everyone, or to those in one course, at a moment you choose. You see who gets it, and who not and why,
      before anything is posted.</EmptyState
    >
  </div>
  <AskDialog
    v-model:open="asking"
    title="New broadcast"
    ok="Begin"
    :busy="create.isPending.value"
    :ready="Boolean(name.trim())"
    @ok="create.mutate()"
  >
    <label class="ask"
      >What is it about? Students don't see this name.<Input
        v-model:value="name"
        aria-label="Name of the broadcast"
        placeholder="Open apiary on Saturday"
    /></label>
    <label class="ask"
      >Letter<Select
        v-model:value="letter"
        v-named="'Which letter'"
        :options="[
          { value: '', label: 'Write a new one' },
          ...(letters ?? []).map((l) => ({ value: l.key, label: l.name })),
        ]"
        show-search
        option-filter-prop="label"
        style="width: 100%"
    /></label>
  </AskDialog>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: flex;
  flex-direction: column;
  gap: 20px;
}
h2 {
  margin-bottom: 8px;
}
.num {
  text-align: right !important;
}
.name {
  font: 600 15px var(--title);
  color: var(--ink);
  text-decoration: none;
}
.when {
  margin-top: 3px;
  font-size: 13px;
}
.main {
  width: 40%;
}
.ask {
  display: block;
  margin: 10px 0;
}
.phone {
  display: none;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
  }
  .phone {
    display: inline;
  }
}
</style>
