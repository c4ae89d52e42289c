<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Segmented from "ant-design-vue/es/segmented";
import Select from "ant-design-vue/es/select";
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { rooted } from "../api/base";
import { api, csrfToken, data } from "../api/client";
import PicturePick from "../parts/PicturePick.vue";
import { type Certificate, LANGUAGES } from "./certificate";

/** How a course's certificate looks, seen at once with any name of the school. Colours and logo are the layout's. */
const rule = defineModel<Certificate>({ required: true });
const props = defineProps<{ course: object }>();
const set = (part: Partial<Certificate>) => (rule.value = { ...rule.value, ...part });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
const name = ref("Ana Esteves");
const { data: tried } = useQuery({
  queryKey: ["certificates", "names"],
  queryFn: () => data(api.GET("/api/certificates/names")),
  staleTime: 600_000,
});
type LineName = "heading" | "before" | "wording";
const LINES: [LineName, string][] = [
  ["heading", "Heading"],
  ["before", "Before the name"],
  ["wording", "Between name and course"],
];
// A merge field goes to where the cursor was last.
const last = ref<LineName>("wording");
function putIn(field: unknown): void {
  set({ [last.value]: `${rule.value[last.value]} {{ ${String(field)} }}`.trim() });
}
const FIELD_NAMES: Record<string, string> = {
  "student.full_name": "the student's name",
  "course.title": "the course",
  "school.name": "the school",
  "school.sender_name": "who signs",
  "certificate.code": "the number",
  "certificate.issued_on": "the day",
};
const fields = computed(() =>
  (tried.value?.fields ?? []).map((value) => ({ value, label: FIELD_NAMES[value] ?? value })),
);

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
  const answer = await fetch(rooted("/api/certificates/preview"), {
    method: "POST",
    headers: { "Content-Type": "application/json", "X-CSRF-Token": csrfToken() },
    body,
  });
  if (body !== asked.value) return;
  if (!answer.ok) {
    refused.value = ((await answer.json().catch(() => ({}))) as { detail?: string }).detail ?? "It can't be drawn.";
    return;
  }
  refused.value = "";
  picture.value = await asData(await answer.blob());
}
watch(
  asked,
  (body) => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => void draw(body), 250);
  },
  { immediate: true },
);
onBeforeUnmount(() => window.clearTimeout(timer));
</script>

<template>
  <div class="design">
    <div class="make">
      <Segmented
        :value="rule.design"
        :options="[
          { value: 'frame', label: 'Frame' },
          { value: 'band', label: 'Band' },
          { value: 'corners', label: 'Corners' },
          { value: 'plain', label: 'Plain' },
        ]"
        aria-label="Design"
        @change="(design) => set({ design: design as Certificate['design'] })"
      />
      <div class="inline">
        <Segmented
          :value="rule.paper"
          :options="[
            { value: 'a4', label: 'A4' },
            { value: 'letter', label: 'Letter' },
          ]"
          size="small"
          aria-label="Paper"
          @change="(paper) => set({ paper: paper as Certificate['paper'] })"
        /><Checkbox :checked="rule.upright" @change="(e) => set({ upright: e.target.checked })">upright</Checkbox>
      </div>
      <label v-for="[key, label] in LINES" :key="key"
        >{{ label
        }}<Input
          :value="rule[key]"
          @focus="last = key"
          @change="(e: Event) => set({ [key]: key === 'heading' ? typed(e).trim() || 'Certificate' : typed(e) })"
      /></label>
      <Select
        v-named="'Put a merge field into the line'"
        :value="undefined"
        :options="fields"
        placeholder="+ merge field, into the line you were in"
        style="width: 100%"
        @select="putIn"
      />
      <label
        >Hours of study (empty: not printed)<InputNumber
          :value="rule.hours ?? undefined"
          :min="1"
          :max="10000"
          aria-label="Hours of study"
          @change="(n) => set({ hours: n ? Number(n) : null })"
      /></label>
      <label
        >Language, for reading it out<Select
          v-named="'Language of the certificate'"
          :value="rule.language ?? 'en'"
          :options="LANGUAGES"
          show-search
          option-filter-prop="label"
          style="width: 100%"
          @change="(language) => set({ language: String(language) })"
      /></label>
      <div>
        <span class="label">Signature, as a picture</span
        ><PicturePick
          :model-value="rule.signature"
          label="signature of the certificate"
          small
          @update:model-value="(signature) => set({ signature })"
        />
      </div>
      <p class="label">
        Colours and logo come from the <RouterLink to="/school/look">look of the letters</RouterLink>. Certificates
        issued before keep their look; under <RouterLink to="/certificates">Certificates</RouterLink> they can be issued
        again in this one.
      </p>
    </div>
    <div class="see">
      <div class="inline">
        <Input v-model:value="name" aria-label="Seen with the name" style="width: 230px" /><Select
          v-named="'Difficult names of your school'"
          :value="undefined"
          :options="(tried?.names ?? []).map((value) => ({ value }))"
          placeholder="difficult names of yours"
          size="small"
          style="width: 210px"
          :dropdown-match-select-width="false"
          @select="(one: unknown) => (name = String(one))"
        />
      </div>
      <p v-if="refused" class="warn" role="alert">▲ {{ refused }}</p>
      <img v-if="picture" :src="picture" alt="The certificate with this name" />
    </div>
  </div>
</template>

<style scoped>
.design {
  display: grid;
  grid-template-columns: minmax(240px, 320px) minmax(0, 1fr);
  gap: 18px;
  grid-column: 1 / -1;
}
.make,
.see {
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: flex-start;
}
.make > label {
  display: flex;
  flex-direction: column;
  gap: 3px;
  color: var(--soft);
  width: 100%;
}
.inline {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
img {
  width: 100%;
  max-width: 620px;
  max-height: 460px;
  object-fit: contain;
  object-position: left;
  border: 1px solid var(--rule);
  background: #fff;
}
.warn {
  color: var(--warn);
  margin: 0;
}
p {
  margin: 0;
}
a {
  text-decoration: underline;
}
@media (max-width: 900px) {
  .design {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
