<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Menu from "ant-design-vue/es/menu";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { rooted } from "../api/base";
import { api, data } from "../api/client";
import type { Letter } from "../api/school-file";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";
import { shownAs } from "../parts/shown-as";

/** What is seldom needed: layout and reply-to, proof copies, duplicate, as a file, throw away. */
const letter = defineModel<Letter>("letter", { required: true });
const router = useRouter();
const notice = useNotice();
const key = computed(() => letter.value.key);
const path = computed(() => ({ params: { path: { key: key.value } } }));
const open = ref<"settings" | "proofs" | null>(null);
const { data: layouts } = useQuery({
  queryKey: ["layouts"],
  queryFn: () => data(api.GET("/api/layouts")),
  enabled: computed(() => open.value === "settings"),
});
const layoutOptions = computed(() => [
  { value: "", label: "that of its course, or the school's" },
  ...(layouts.value?.layouts ?? []).map((one) => ({ value: String(one.body.key), label: String(one.body.name) })),
]);
const { data: proofs } = useQuery({
  queryKey: ["proofs", key],
  queryFn: () => data(api.GET("/api/letters/{key}/proofs", path.value)),
});
const readers = ref("");
const number = ref(3);
watch(
  proofs,
  (now) => {
    readers.value = now?.readers.join(", ") ?? "";
    if (now?.left) number.value = now.left;
  },
  { immediate: true },
);
const ask = useAct(
  (none: boolean) =>
    data(
      api.PUT("/api/letters/{key}/proofs", {
        ...path.value,
        body: { readers: none ? [] : readers.value.split(/[,;\s]+/).filter(Boolean), number: none ? 0 : number.value },
      }),
    ),
  {
    done: (now) => {
      open.value = null;
      notice.done(now.left ? `The next ${now.left} are shown to ${now.readers.join(", ")}.` : "No copies are shown.");
    },
    refreshes: ["proofs"],
  },
);
const twin = useAct(() => data(api.POST("/api/letters/{key}/duplicate", { ...path.value, body: { name: "" } })), {
  done: (made) => router.push(`/letters/${made.key}`),
});
const away = useAct(() => data(api.DELETE("/api/letters/{key}", path.value)), { done: () => router.push("/letters") });
async function askAway(): Promise<void> {
  if (await notice.ask("Throw this letter away?", "It and its versions are gone for good.", "Throw away", "Keep it"))
    away.mutate();
}
const file = (form: string) =>
  rooted(`/api/letters/${encodeURIComponent(key.value)}/file?${new URLSearchParams({ form, student: shownAs.value })}`);
</script>

<template>
  <span v-if="proofs?.left" class="soft">copies of the next {{ proofs.left }} shown</span>
  <Dropdown :trigger="['click']"
    ><Button aria-label="More for this letter">…</Button
    ><template #overlay
      ><Menu>
        <Menu.Item @click="open = 'settings'">Layout and reply-to</Menu.Item>
        <Menu.Item @click="open = 'proofs'">Proof copies</Menu.Item>
        <Menu.Item @click="twin.mutate()">Duplicate</Menu.Item>
        <Menu.Item :disabled="!shownAs"><a :href="file('eml')" download>As a mail file (.eml)</a></Menu.Item>
        <Menu.Item :disabled="!shownAs"><a :href="file('html')" download>As HTML</a></Menu.Item>
        <Menu.Item danger @click="askAway">Throw away</Menu.Item>
      </Menu></template
    ></Dropdown
  >
  <AskDialog
    :open="open === 'settings'"
    title="Layout and reply-to"
    ok="Done"
    ready
    @ok="open = null"
    @cancel="open = null"
  >
    <label class="line"
      >Layout<Select
        v-named="'Layout of this letter'"
        :value="letter.layout ?? ''"
        :options="layoutOptions"
        @change="(value) => (letter = { ...letter, layout: String(value) || null })"
    /></label>
    <label class="line"
      >Answers go to<Input
        :value="letter.reply_to ?? ''"
        aria-label="Answers go to"
        placeholder="the address of its sequence, or the school's"
        @change="(e: Event) => (letter = { ...letter, reply_to: (e.target as HTMLInputElement).value.trim() || null })"
    /></label>
    <p class="soft">
      Layouts are made in <RouterLink to="/school/look">School → Look</RouterLink>. Both count once the letter is saved.
    </p>
  </AskDialog>
  <AskDialog
    :open="open === 'proofs'"
    title="Proof copies"
    ok="Show them"
    :busy="ask.isPending.value"
    :ready="Boolean(readers.trim())"
    @ok="ask.mutate(false)"
    @cancel="open = null"
  >
    <p class="soft">
      The next real deliveries are shown to these people too, as they went out. The student's address does not stand in
      the copy's headers, and its links do nothing.
    </p>
    <label class="line"
      >Shown to<Input v-model:value="readers" aria-label="Shown to" placeholder="proof@example.org"
    /></label>
    <label class="line"
      >How many of the next<InputNumber v-model:value="number" :min="1" :max="100" aria-label="How many of the next"
    /></label>
    <Button v-if="proofs?.left" size="small" @click="ask.mutate(true)">Show no more</Button>
  </AskDialog>
</template>

<style scoped>
.line {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin-bottom: 10px;
}
</style>
