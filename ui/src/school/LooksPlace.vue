<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Segmented from "ant-design-vue/es/segmented";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import { api, type Api, begunFrom, data, ONLY_NEW } from "../api/client";
import type { Layout } from "../api/school-file";
import { useThings } from "../api/things";
import FindingLines from "../parts/FindingLines.vue";
import { patched } from "../letters/patched";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import ClashDialog from "../parts/ClashDialog.vue";
import { useDraft } from "../parts/draft";
import { freeKey } from "../parts/keys";
import LetterPaper from "../parts/LetterPaper.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import PicturePick from "../parts/PicturePick.vue";
import { shownAs, suggest } from "../parts/shown-as";
import StudentPick from "../parts/StudentPick.vue";
import LinksEdit from "./LinksEdit.vue";
import SignatureEdit from "./SignatureEdit.vue";
import { useSaving } from "../parts/saving";
import { useSaveKey } from "../parts/save-key";

/** The frames round letters: changed in one place, seen at once on three real letters. */
const client = useQueryClient();
const notice = useNotice();
const { options } = useThings();
const { data: found } = useQuery({ queryKey: ["layouts"], queryFn: () => data(api.GET("/api/layouts")) });
const chosen = ref("");
const all = computed(() => found.value?.layouts ?? []);
const own = computed(() => all.value.find((one) => one.body.key === chosen.value));
const fresh = computed(() => ({ ...(found.value?.plain ?? {}), key: "school", name: "The school's" }) as Layout);
const draft = useDraft<Layout>(() => `layout:${chosen.value || "school"}`);
const { current, changed, clash, base, begin, undo, redo, copy, canUndo, canRedo } = draft;
watch(
  [found, chosen],
  () => {
    if (!found.value) return;
    if (!chosen.value && all.value[0]) chosen.value = String(all.value[0].body.key);
    // What the box names is what is edited; while a new one is not there yet, nothing is.
    if (own.value) begin(own.value.body as Layout, own.value.edition);
    else if (!all.value.length) begin(fresh.value);
  },
  { immediate: true },
);
const layout = computed(() => current.value as Layout);
const set = (part: Partial<Layout>) => current.value && (current.value = { ...current.value, ...part });
const { data: first } = useQuery({
  queryKey: ["students", "first-of-all"],
  queryFn: () => data(api.GET("/api/students")),
  staleTime: 600_000,
});
watch(first, (page) => suggest(page?.items), { immediate: true });

const looked = ref<Layout | null>(null);
let timer = 0;
watch(
  current,
  (now) => {
    clearTimeout(timer);
    timer = window.setTimeout(
      () => (looked.value = now ? (JSON.parse(JSON.stringify(now)) as Layout) : null),
      looked.value ? 250 : 0,
    );
  },
  { deep: true, immediate: true },
);
const { data: seen, error: refused } = useQuery({
  queryKey: ["layout-seen", looked, shownAs],
  queryFn: () =>
    data(
      api.POST("/api/layouts/preview", {
        body: { layout: looked.value ?? {}, student: shownAs.value },
      }),
    ),
  enabled: computed(() => Boolean(looked.value && shownAs.value)),
  placeholderData: keepPreviousData,
});
const view = ref<string | number>("Desk");
const dark = ref(false);
const shade = (html: string) => html.replaceAll("(prefers-color-scheme: dark)", dark.value ? "all" : "(width: 0)");
const at = (name: string) => (seen.value?.findings ?? []).filter((one) => one.pointer === `/${name}`);
const mend = (one: Api["FindingOut"]) =>
  one.mend && current.value && (current.value = patched(current.value, one.mend.patch));

const failed = (error: unknown) => notice.refused(error);
const { save, write, choose, saving } = useSaving<Layout, Api["LayoutOut"]>(
  draft,
  (body, begun) =>
    data(
      api.PUT("/api/layouts/{key}", {
        params: { path: { key: body.key }, header: all.value.length ? begunFrom(begun) : ONLY_NEW },
        body,
      }),
    ),
  async () => {
    const now = (await data(api.GET("/api/layouts"))).layouts.find((one) => one.body.key === chosen.value);
    return { body: (now?.body ?? copy()) as Layout, edition: now?.edition ?? "" };
  },
  () => "Saved. All letters that stand in it follow.",
);
useSaveKey(save);
const make = useMutation({
  mutationFn: (body: Layout) =>
    data(
      api.PUT("/api/layouts/{key}", {
        params: { path: { key: body.key }, header: ONLY_NEW },
        body: body,
      }),
    ),
  onSuccess: async (_, sent) => {
    await client.invalidateQueries({ queryKey: ["layouts"] });
    chosen.value = sent.key;
    notice.done(`“${sent.name}” is made, and is what you change now.`);
  },
  onError: failed,
});
const use = useAct((body: Api["UseIn"]) =>
  data(api.PUT("/api/layouts/{key}/use", { params: { path: { key: chosen.value } }, body })),
);
const away = useAct(() => data(api.DELETE("/api/layouts/{key}", { params: { path: { key: chosen.value } } })), {
  done: () => (chosen.value = ""),
});
const naming = ref(false);
const name = ref("");
function another(): void {
  const body = {
    ...copy(),
    key: freeKey(
      name.value,
      all.value.map((one) => String(one.body.key)),
    ),
    name: name.value.trim(),
  };
  naming.value = false;
  make.mutate(body);
}
const COLOURS: { name: keyof Layout; says: string }[] = [
  { name: "ink", says: "Text" },
  { name: "paper", says: "Paper" },
  { name: "ground", says: "Round the paper" },
  { name: "accent", says: "School's name, prices" },
  { name: "link", says: "Links" },
  { name: "button", says: "Buttons" },
  { name: "button_ink", says: "What buttons say" },
  { name: "soft", says: "Footer" },
];
const EXAMPLE =
  '<table width="600" align="center">\n  <tr><td>{{ content }}</td></tr>\n' +
  '  <tr><td>{{ school.postal_address }}<br><a href="{{ links.stop }}">Stop these letters</a></td></tr>\n</table>';
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <PageHead title="Look" :above="{ to: '/school', name: 'School' }">
    <Select
      v-if="all.length"
      v-model:value="chosen"
      v-named="'Which layout'"
      :options="all.map((one) => ({ value: String(one.body.key), label: String(one.body.name) }))"
      style="width: 200px"
    />
    <Button v-if="all.length" @click="((name = ''), (naming = true))">Another layout</Button>
    <Button :disabled="!canUndo" @click="undo">Undo</Button><Button :disabled="!canRedo" @click="redo">Redo</Button>
    <Button type="primary" :disabled="!changed && all.length > 0" :loading="saving" @click="write">{{
      changed || !all.length ? "Save" : "Saved"
    }}</Button>
  </PageHead>
  <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="choose" />
  <div v-if="current" class="desk-look">
    <section class="make">
      <label
        >Name<Input
          :value="layout.name"
          aria-label="Name of the layout"
          @change="(e: Event) => set({ name: typed(e) })"
      /></label>
      <div v-if="own" class="for">
        <span class="label">Letters of</span
        ><Checkbox
          :checked="own.school"
          @change="(e) => use.mutate({ school: e.target.checked, courses: own?.courses ?? [] })"
          >the school, where a course has none of its own</Checkbox
        >
        <Select
          v-named="'Courses with this layout'"
          mode="multiple"
          :value="own.courses"
          :options="options.course"
          placeholder="and of these courses"
          style="width: 100%"
          @change="(courses) => use.mutate({ school: own?.school ?? false, courses: courses as string[] })"
        />
        <span v-if="own.letters.length" class="label">and {{ own.letters.join(", ") }}</span>
      </div>
      <h2>Header</h2>
      <div class="pair">
        <label
          >Shows<Select
            v-named="'What the header shows'"
            :value="layout.header"
            :options="[
              { value: 'name', label: 'the school\'s name' },
              { value: 'logo', label: 'the logo' },
              { value: 'both', label: 'logo and name' },
              { value: 'none', label: 'nothing' },
            ]"
            @change="(header) => set({ header: header as Layout['header'] })"
        /></label>
        <label
          >Stands<Segmented
            :value="layout.align"
            :options="['left', 'center']"
            @change="(align) => set({ align: align as Layout['align'] })"
        /></label>
      </div>
      <div v-if="['logo', 'both'].includes(layout.header)" class="pair">
        <PicturePick
          :model-value="layout.logo"
          label="logo"
          small
          @update:model-value="(logo) => set({ logo })"
        /><label
          >Width in pixels<InputNumber
            :value="layout.logo_width"
            :min="24"
            :max="536"
            aria-label="Width of the logo"
            @change="(n) => n && set({ logo_width: Number(n) })"
        /></label>
      </div>
      <FindingLines :found="at('logo')" @mend="mend" />
      <h2>Colours</h2>
      <div class="colours">
        <div v-for="one in COLOURS" :key="one.name">
          <label class="colour"
            ><input
              type="color"
              :value="layout[one.name]"
              :aria-label="one.says"
              @input="(e) => set({ [one.name]: typed(e) })"
            />
            {{ one.says }}</label
          ><FindingLines :found="at(one.name)" @mend="mend" />
        </div>
      </div>
      <h2>Type and buttons</h2>
      <div class="pair">
        <label
          >Typeface<Select
            v-named="'Typeface'"
            :value="layout.type"
            :options="[
              { value: 'serif', label: 'with serifs' },
              { value: 'sans', label: 'without serifs' },
              { value: 'typewriter', label: 'typewriter' },
            ]"
            @change="(type) => set({ type: type as Layout['type'] })" /></label
        ><label
          >Size<InputNumber
            :value="layout.size"
            :min="14"
            :max="20"
            aria-label="Size of the text"
            @change="(n) => n && set({ size: Number(n) })"
        /></label>
        <label
          >Buttons<Segmented
            :value="layout.button_shape"
            :options="['square', 'rounded', 'round']"
            @change="(button_shape) => set({ button_shape: button_shape as Layout['button_shape'] })"
        /></label>
      </div>
      <h2>Footer</h2>
      <label
        >A line or two<textarea
          :value="layout.footer"
          rows="2"
          aria-label="Footer"
          @input="set({ footer: typed($event) })"
        />
      </label>
      <LinksEdit :model-value="layout.links" label="Footer link" @update:model-value="(links) => set({ links })" />
      <p class="soft">The postal address and the ways to stop stand below every letter by themselves.</p>
      <details class="own" :open="layout.signature !== null">
        <summary>A signature of its own</summary>
        <p class="soft">Instead of the school's, in letters that stand in this layout.</p>
        <SignatureEdit :model-value="layout.signature" @update:model-value="(signature) => set({ signature })" />
      </details>
      <details class="own" :open="layout.html !== null">
        <summary>A frame of your own in HTML</summary>
        <p class="soft">
          Paste a whole page. It needs a place for the letter, the link to stop and the postal address; scripts and what
          loads by itself are taken out.
        </p>
        <textarea
          :value="layout.html ?? ''"
          rows="8"
          class="code"
          aria-label="HTML of the frame"
          :placeholder="EXAMPLE"
          @input="set({ html: typed($event) || null })"
        />
        <div class="acts">
          <Button size="small" @click="set({ html: EXAMPLE })">Begin with an example</Button
          ><Button v-if="layout.html !== null" size="small" @click="set({ html: null })"
            >Back to the frame above</Button
          >
        </div>
      </details>
      <Button v-if="own && all.length > 1" danger class="away" @click="away.mutate()">Throw this layout away</Button>
    </section>
    <section class="see" aria-label="On three letters">
      <div class="seen">
        <span class="label">Seen as</span
        ><StudentPick v-model="shownAs" label="See the letters as this student" /><Segmented
          v-model:value="view"
          :options="['Desk', 'Phone']"
          size="small"
        /><Checkbox v-model:checked="dark">Dark</Checkbox>
      </div>
      <p v-if="refused" class="blank" role="alert">▲ {{ refused.message }}</p>
      <div v-for="one in seen?.letters ?? []" v-show="!refused" :key="one.key" class="letter">
        <span class="label"
          ><RouterLink :to="`/letters/${one.key}`">{{ one.name }}</RouterLink></span
        ><LetterPaper :html="shade(one.html)" :narrow="view === 'Phone'" :title="one.subject" />
      </div>
      <p v-if="seen && !seen.letters.length" class="soft">Write a letter, and it stands here in this frame.</p>
      <p v-if="!shownAs" class="soft">Add a student, and three letters show here as they would see them.</p>
    </section>
  </div>
  <AskDialog v-model:open="naming" title="Another layout" ok="Make it" :ready="Boolean(name.trim())" @ok="another"
    ><label class="line"
      >What do you call it? It begins as a copy of this one.<Input
        v-model:value="name"
        placeholder="Queen Rearing" /></label
  ></AskDialog>
</template>

<style scoped>
.desk-look {
  display: grid;
  grid-template-columns: minmax(320px, 420px) minmax(0, 1fr);
  flex: 1;
  min-height: 0;
}
.make {
  padding: 16px 22px 40px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 10px;
  border-right: 1px solid var(--rule);
  background: var(--sheet2);
}
.see {
  padding: 14px 18px 40px;
  overflow-y: auto;
  display: flex;
  flex-direction: column;
  gap: 16px;
}
.letter {
  display: flex;
  flex-direction: column;
  gap: 4px;
  flex: none;
}
label:not(.ant-checkbox-wrapper):not(.colour) {
  display: flex;
  flex-direction: column;
  gap: 3px;
  color: var(--soft);
  align-items: stretch;
}
.pair {
  display: flex;
  gap: 14px;
  flex-wrap: wrap;
  align-items: flex-end;
}
.pair > label {
  min-width: 110px;
}
.for {
  display: flex;
  flex-direction: column;
  gap: 5px;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 8px 12px;
}
.colours {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px 12px;
}
.colour {
  display: flex;
  gap: 8px;
  align-items: center;
}
input[type="color"] {
  width: 36px;
  height: 26px;
  padding: 1px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: #fff;
  cursor: pointer;
  flex: none;
}
textarea {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 11px;
  color: var(--ink);
  background: #fff;
  font: inherit;
  resize: vertical;
  width: 100%;
}
.code {
  font: 12.5px/1.5 var(--mark);
}
.own summary {
  cursor: pointer;
  color: var(--act);
}
.acts,
.seen {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
  margin-top: 4px;
}
.blank {
  color: var(--warn);
  margin: 0;
}
.away {
  align-self: flex-start;
}
p {
  margin: 0;
}
h2 {
  margin-top: 8px;
}
@media (max-width: 900px) {
  .desk-look {
    display: block;
    overflow: auto;
  }
  .make {
    border-right: 0;
    padding: 14px;
  }
}
</style>
