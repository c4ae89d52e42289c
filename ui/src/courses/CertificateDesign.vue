<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Segmented from "ant-design-vue/es/segmented";
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { api, csrfToken, data } from "../api/client";
import PicturePick from "../parts/PicturePick.vue";
import type { Certificate } from "./certificate";

/** How a course's certificate looks, seen at once with any name of the school. Colours and logo are the layout's. */
const rule = defineModel<Certificate>({ required: true });
const props = defineProps<{ course: object }>();
const set = (part: Partial<Certificate>) => (rule.value = { ...rule.value, ...part });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
const name = ref("Ana Esteves");
const { data: unusual } = useQuery({ queryKey: ["letters", "examples"], queryFn: () => data(api.GET("/api/letters/examples")), staleTime: 600_000 });
async function longest(): Promise<void> {
  if (unusual.value?.longest) name.value = (await data(api.GET("/api/students/{key}", { params: { path: { key: unusual.value.longest } } }))).name;
}

const picture = ref("");
const refused = ref("");
let timer = 0;
const asked = computed(() => JSON.stringify({ course: props.course, name: name.value }));
const asData = (blob: Blob) =>
  new Promise<string>((resolve) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.readAsDataURL(blob);
  });
async function draw(body: string): Promise<void> {
  const answer = await fetch("/api/certificates/preview", { method: "POST", headers: { "Content-Type": "application/json", "X-CSRF-Token": csrfToken() }, body });
  if (body !== asked.value) return;
  if (!answer.ok) {
    refused.value = ((await answer.json().catch(() => ({}))) as { detail?: string }).detail ?? "It can't be drawn.";
    return;
  }
  refused.value = "";
  picture.value = await asData(await answer.blob());
}
watch(asked, (body) => {
  window.clearTimeout(timer);
  timer = window.setTimeout(() => void draw(body), 250);
}, { immediate: true });
onBeforeUnmount(() => window.clearTimeout(timer));
</script>

<template>
  <div class="design">
    <div class="make">
      <Segmented :value="rule.design" :options="[{ value: 'frame', label: 'Frame' }, { value: 'band', label: 'Band' }, { value: 'corners', label: 'Corners' }, { value: 'plain', label: 'Plain' }]" aria-label="Design" @change="(design) => set({ design: design as Certificate['design'] })" />
      <div class="inline"><Segmented :value="rule.paper" :options="[{ value: 'a4', label: 'A4' }, { value: 'letter', label: 'Letter' }]" size="small" aria-label="Paper" @change="(paper) => set({ paper: paper as Certificate['paper'] })" /><Checkbox :checked="rule.upright" @change="(e) => set({ upright: e.target.checked })">upright</Checkbox></div>
      <label>Heading<Input :value="rule.heading" @change="(e: Event) => set({ heading: typed(e).trim() || 'Certificate' })" /></label>
      <label>Before the name<Input :value="rule.before" @change="(e: Event) => set({ before: typed(e) })" /></label>
      <label>Between name and course<Input :value="rule.wording" @change="(e: Event) => set({ wording: typed(e) })" /></label>
      <label>Hours of study (empty: not printed)<InputNumber :value="rule.hours ?? undefined" :min="1" :max="10000" aria-label="Hours of study" @change="(n) => set({ hours: n ? Number(n) : null })" /></label>
      <div><span class="label">Signature, as a picture</span><PicturePick :model-value="rule.signature" label="signature of the certificate" small @update:model-value="(signature) => set({ signature })" /></div>
      <p class="label">Colours and logo come from the <RouterLink to="/school/look">look of the letters</RouterLink>.</p>
    </div>
    <div class="see"><div class="inline"><Input v-model:value="name" aria-label="Seen with the name" style="width: 230px" /><Button size="small" @click="longest">The longest name</Button><Button size="small" @click="name = 'نور الخطيب'">Right to left</Button></div>
      <p v-if="refused" class="warn" role="alert">▲ {{ refused }}</p><img v-if="picture" :src="picture" alt="The certificate with this name" /></div>
  </div>
</template>

<style scoped>
.design { display: grid; grid-template-columns: minmax(240px, 320px) minmax(0, 1fr); gap: 18px; grid-column: 1 / -1; } .make, .see { display: flex; flex-direction: column; gap: 8px; align-items: flex-start; } .make > label { display: flex; flex-direction: column; gap: 3px; color: var(--soft); width: 100%; } .inline { display: flex; gap: 10px; align-items: center; flex-wrap: wrap; } img { width: 100%; max-width: 620px; max-height: 460px; object-fit: contain; object-position: left; border: 1px solid var(--rule); background: #fff; } .warn { color: var(--warn); margin: 0; } p { margin: 0; } a { text-decoration: underline; }
@media (max-width: 900px) { .design { grid-template-columns: minmax(0, 1fr); } }
</style>
