<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, begunFrom, data } from "../api/client";
import { useAct } from "../parts/act";
import ClashDialog from "../parts/ClashDialog.vue";
import { useCopy } from "../parts/copying";
import { placeOf, useDraft } from "../parts/draft";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import { useSaveKey } from "../parts/save-key";
import { useSaving } from "../parts/saving";
import ThingPick from "../parts/ThingPick.vue";

type Form = {
  key: string;
  name: string;
  title: string;
  sentence: string;
  asks: { name: string; label: string; needed: boolean }[];
  consent: string;
  consent_box: boolean;
  tag: string | null;
  course: string | null;
  confirm: boolean;
  open: boolean;
  language: string;
  texts: Record<string, string>;
};
const props = defineProps<{ id: string }>();
const router = useRouter();
const notice = useNotice();
const draft = useDraft<Form>(() => `sign-up:${props.id}`);
const { current, changed, restored, clash, base, begin, discard } = draft;
const path = computed(() => ({ path: { key: props.id } }));
const { data: found, error: gone } = useQuery({
  queryKey: ["sign-up-form", () => props.id],
  queryFn: () => data(api.GET("/api/sign-up-forms/{key}", { params: path.value })),
  retry: false,
});
watch(found, (now) => now && begin(now.body as Form, now.edition), { immediate: true });
// Only read behind v-if, once both are there.
const form = computed(() => current.value as Form);
const about = computed(() => found.value as Api["FormOut"]);
const { save, choose, saving } = useSaving<Form, Api["FormOut"]>(
  draft,
  (body, begun) =>
    data(
      api.PUT("/api/sign-up-forms/{key}", {
        params: { ...path.value, header: begunFrom(begun) },
        body: { body: { ...body } },
      }),
    ),
  async () => {
    const now = await data(api.GET("/api/sign-up-forms/{key}", { params: path.value }));
    return { body: now.body as Form, edition: now.edition };
  },
  (now) => (now.body.open ? "Saved. The page shows it from now on." : "Saved."),
);
useSaveKey(save);

/** Stands for nothing in a list to choose from; no tag and no course is called so. */
const NONE = "–";
const NAMES: Record<string, string> = { first_name: "Your first name", last_name: "Your last name" };
const nameOf = (label: string) =>
  label
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[_0-9]+|_+$/g, "")
    .slice(0, 50) || "answer";
function ask(name: string): void {
  let free = name;
  for (let number = 2; form.value.asks.some((one) => one.name === free); number++) free = `${name}_${number}`;
  form.value.asks.push({ name: free, label: NAMES[name] ?? "", needed: false });
}
const own = (name: string) => !(name in NAMES);
function relabel(one: Form["asks"][number], label: string): void {
  one.label = label;
  if (own(one.name) && label) one.name = nameOf(label);
}
const setText = (name: string, text: string) => {
  const texts = { ...form.value.texts };
  if (text.trim()) texts[name] = text;
  else delete texts[name];
  form.value.texts = texts;
};
const typed = (event: Event) => (event.target as HTMLInputElement).value;

const page = ref("");
let drawing = 0;
watch(
  current,
  (now) => {
    window.clearTimeout(drawing);
    if (now) drawing = window.setTimeout(() => void draw({ ...now }), 250);
  },
  { immediate: true, deep: true },
);
/** The page as it would be; where the draft can't be read yet, the last one stays. */
async function draw(body: Record<string, unknown>): Promise<void> {
  try {
    const now = await data(api.POST("/api/sign-up-forms/{key}/page", { params: path.value, body: { body } }));
    page.value = now.html;
  } catch {
    // Said when it is saved.
  }
}
const copy = useCopy();
const remove = useAct(() => data(api.DELETE("/api/sign-up-forms/{key}", { params: path.value })), {
  done: () => {
    localStorage.removeItem(placeOf(`sign-up:${props.id}`));
    void router.push("/school/sign-up");
  },
});
async function askRemove(): Promise<void> {
  if (
    await notice.ask(
      `Remove “${form.value.name}”?`,
      "Its page goes, and whoever has not confirmed yet is forgotten. Students stay, with what they agreed to.",
      "Remove it",
      "Keep it",
    )
  )
    remove.mutate();
}
</script>

<template>
  <PageHead :title="current?.name ?? 'Form'" :above="{ to: '/school/sign-up', name: 'Sign-up pages' }">
    <template #beside
      ><span v-if="found" class="pill" :class="found.body.open ? 'running' : ''" data-testid="state">{{
        found.body.open ? "Open" : "Closed"
      }}</span></template
    >
    <Button v-if="current" type="primary" :disabled="!changed" :loading="saving" @click="save">{{
      changed ? "Save" : "Saved"
    }}</Button>
  </PageHead>
  <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="choose" />
  <EmptyState v-if="gone" title="There is no such form any more">{{ gone.message }}</EmptyState>
  <div v-else-if="current && found" class="room">
    <p v-if="restored && changed" class="note" role="status">
      Unsaved changes from earlier are shown. <button class="link" @click="discard">Show what is saved instead</button>
    </p>
    <div class="write">
      <section class="sheet box">
        <h2>What it does</h2>
        <Checkbox v-model:checked="form.open">Open: people can sign up</Checkbox>
        <Checkbox v-model:checked="form.confirm"
          >Confirmed by letter: nothing else is posted before they say yes in it</Checkbox
        >
        <p v-if="!form.confirm" class="warn">
          Without it anybody can sign up anybody, and you can't show who agreed. In many countries that is not allowed.
        </p>
        <div class="gives">
          <span>They get the tag</span>
          <ThingPick
            :model-value="form.tag ?? NONE"
            kind="tag"
            label="The tag they get"
            :also="[{ value: NONE, label: 'none' }]"
            make
            @update:model-value="(now) => (form.tag = now && now !== NONE ? now : null)"
          />
          <span>and come into</span>
          <ThingPick
            :model-value="form.course ?? NONE"
            kind="course"
            label="The course they come into"
            :also="[{ value: NONE, label: 'no course' }]"
            @update:model-value="(now) => (form.course = now && now !== NONE ? now : null)"
          />
        </div>
        <p v-if="about.runs.length" data-testid="runs">
          Then they begin <b>{{ about.runs.join(", ") }}</b>.
        </p>
        <p v-else class="warn">
          No running sequence begins with it, so nobody hears anything but the confirming letter.
          <RouterLink to="/sequences">Make one that begins when somebody signs up</RouterLink>.
        </p>
      </section>
      <section class="sheet box">
        <h2>What it says and asks</h2>
        <label>What you call it<Input v-model:value="form.name" :maxlength="200" /></label>
        <label>Heading of the page<Input v-model:value="form.title" :maxlength="200" /></label>
        <label>A sentence or two<textarea v-model="form.sentence" rows="3" class="area" maxlength="1000" /></label>
        <div class="asked">
          <span class="label">Asked beside the address</span>
          <div v-for="(one, index) in form.asks" :key="index" class="ask">
            <Input
              :value="one.label"
              :aria-label="`What is asked ${index + 1}`"
              placeholder="What is asked"
              @input="(event: Event) => relabel(one, typed(event))"
            />
            <Checkbox v-model:checked="one.needed">needed</Checkbox>
            <Button size="small" type="text" :aria-label="`Remove ${one.label}`" @click="form.asks.splice(index, 1)"
              >Remove</Button
            >
          </div>
          <div class="more">
            <Button v-for="name in ['first_name', 'last_name']" :key="name" size="small" @click="ask(name)">{{
              NAMES[name]
            }}</Button>
            <Button size="small" @click="ask('answer')">Something else</Button>
          </div>
        </div>
        <label
          >What they agree to, word for word (empty: nobody agrees to news by it)<textarea
            v-model="form.consent"
            rows="3"
            class="area"
            maxlength="1000"
          />
        </label>
        <Checkbox v-if="form.consent" v-model:checked="form.consent_box">by a box of their own to tick</Checkbox>
      </section>
      <details class="sheet box">
        <summary>The other words, in your language</summary>
        <label
          >Language of the page, such as en or pt<Input
            v-model:value="form.language"
            :maxlength="20"
            style="width: 90px"
        /></label>
        <label v-for="(english, name) in about.texts" :key="name"
          >{{ english
          }}<Input
            :value="form.texts[name] ?? ''"
            :placeholder="english"
            :maxlength="1000"
            @input="(event: Event) => setText(String(name), typed(event))"
        /></label>
      </details>
      <div><button class="link label" @click="askRemove">Remove this form</button></div>
    </div>
    <div class="seen">
      <section class="sheet box">
        <h2>Its page</h2>
        <div class="row">
          <a :href="about.address" target="_blank" rel="noopener" class="postmark">{{ about.address }}</a>
          <Button size="small" @click="copy(about.address)">Copy</Button>
        </div>
        <iframe v-if="page" :srcdoc="page" title="The page" sandbox="" />
      </section>
      <details class="sheet box">
        <summary>For a page of your own: plain HTML</summary>
        <p class="soft">
          Paste it where the form is to stand. It needs no script, and answers with a page of your school's.
        </p>
        <pre>{{ about.html }}</pre>
        <div><Button size="small" @click="copy(about.html)">Copy the HTML</Button></div>
        <p v-if="changed" class="warn">It is that of the saved form.</p>
      </details>
    </div>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 14px;
  align-items: start;
}
.note {
  grid-column: 1 / -1;
  margin: 0;
  padding: 6px 14px;
  background: var(--warn-bg);
  border-radius: 6px;
}
.write,
.seen {
  display: flex;
  flex-direction: column;
  gap: 14px;
}
.box {
  padding: 12px 16px 16px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
details.box {
  display: block;
}
details.box label {
  display: block;
  margin-top: 8px;
}
.box p {
  margin: 0;
}
summary {
  cursor: pointer;
}
.area {
  width: 100%;
  font: inherit;
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 10px;
}
.gives {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 6px 12px;
  align-items: center;
}
.asked,
.ask {
  display: flex;
  gap: 6px;
}
.asked {
  flex-direction: column;
}
.ask {
  align-items: center;
}
.more,
.row {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  align-items: center;
  overflow-wrap: anywhere;
}
.warn {
  color: var(--warn);
}
iframe {
  width: 100%;
  height: 560px;
  border: 1px solid var(--rule2);
  border-radius: 6px;
}
pre {
  background: var(--sheet2);
  padding: 8px;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font-size: 12.5px;
  max-height: 260px;
  overflow: auto;
}
@media (max-width: 900px) {
  .room {
    grid-template-columns: minmax(0, 1fr);
    padding: 14px;
  }
}
</style>
