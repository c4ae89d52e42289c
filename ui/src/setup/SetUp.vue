<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";

import { api, type Api, data } from "../api/client";
import MailStep from "./MailStep.vue";

/** The first minutes of a school: what it is called and who writes; how letters leave; what comes first. */
const emit = defineEmits<{ enter: [session: Api["SessionOut"]]; leave: [] }>();
const router = useRouter();
// Behind the #, so that it is sent to no server and kept in no log.
const key = location.hash.slice(1);
const step = ref<"looking" | "ended" | "school" | "mail" | "next">("looking");
const refused = ref("");
const busy = ref(false);
const zones = ref<string[]>([]);
const answers = ref({
  school: "",
  name: "",
  email: "",
  postal_address: "",
  timezone: Intl.DateTimeFormat().resolvedOptions().timeZone,
  password: "",
});

onMounted(async () => {
  try {
    zones.value = (await data(api.POST("/api/set-up/look", { body: { key } }))).zones;
    if (!zones.value.includes(answers.value.timezone)) answers.value.timezone = "";
    step.value = "school";
  } catch (error) {
    refused.value = (error as Error).message;
    step.value = "ended";
  }
});

async function make(): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    emit("enter", await data(api.POST("/api/set-up", { body: { key, ...answers.value } })));
    history.replaceState(history.state, "", "/set-up");
    step.value = "mail";
  } catch (error) {
    refused.value = (error as Error).message;
  }
  busy.value = false;
}
/** The demo takes a while to be made: asked for until it is there. */
async function demo(): Promise<void> {
  busy.value = true;
  refused.value = "";
  try {
    let made = await data(api.POST("/api/practice-copy", { body: { names: "demo" } }));
    while (made.state === "making") {
      await new Promise((wait) => window.setTimeout(wait, 700));
      made = await data(api.GET("/api/practice-copy"));
    }
    if (made.state === "ready") window.location.assign(`${made.address}/today`);
    else throw new Error(made.refused);
  } catch (error) {
    refused.value = (error as Error).message;
    busy.value = false;
  }
}
function go(to: string): void {
  void router.push(to).then(() => emit("leave"));
}
const ready = () => {
  const { school, name, email, timezone, password } = answers.value;
  return [school, name, email, timezone].every((text) => text.trim()) && password.length >= 10;
};
</script>

<template>
  <main class="door" :class="{ wide: step === 'mail' }">
    <div class="airmail" />
    <div class="inside">
      <p class="label">
        <template v-if="step === 'school'">1 of 3</template><template v-if="step === 'mail'">2 of 3</template
        ><template v-if="step === 'next'">3 of 3</template>
      </p>
      <template v-if="step === 'ended'">
        <h1>This link does not open the set-up</h1>
        <p role="alert">{{ refused }}</p>
        <div><a href="/">Go to the school</a></div>
      </template>
      <form v-if="step === 'school'" class="fields" @submit.prevent="make">
        <h1>Your school</h1>
        <label>What is your school called?<Input v-model:value="answers.school" :maxlength="300" autofocus /></label>
        <label
          >Your name, under letters<Input v-model:value="answers.name" :maxlength="200" autocomplete="name"
        /></label>
        <label
          >Your e-mail address: you sign in with it, and letters come from it<Input
            v-model:value="answers.email"
            type="email"
            :maxlength="320"
            autocomplete="username"
        /></label>
        <label
          >Postal address, below every letter (many countries ask for it; it can wait)<textarea
            v-model="answers.postal_address"
            rows="2"
            maxlength="2000"
            class="area"
          />
        </label>
        <label
          >The school's time zone<Select
            v-named="'Time zone'"
            :value="answers.timezone || undefined"
            placeholder="Choose the nearest town"
            show-search
            :options="zones.map((zone) => ({ value: zone, label: zone.replaceAll('_', ' ') }))"
            option-filter-prop="label"
            @change="(zone) => (answers.timezone = String(zone))"
        /></label>
        <label
          >A password, of 10 characters or more<Input
            v-model:value="answers.password"
            type="password"
            :maxlength="1000"
            autocomplete="new-password"
        /></label>
        <p v-if="refused" role="alert" class="refused">{{ refused }}</p>
        <Button type="primary" html-type="submit" :disabled="!ready()" :loading="busy">Open the school</Button>
      </form>
      <MailStep v-if="step === 'mail'" :to="answers.email" @done="step = 'next'" />
      <div v-if="step === 'next'" class="fields">
        <h1>What comes first?</h1>
        <button class="way" @click="go('/courses')">
          <b>Make a course</b><span>Its modules and lessons, typed or from a table; then the letters for it.</span>
        </button>
        <button class="way" @click="go('/school')">
          <b>Bring a school file</b
          ><span>Everything of a school you have: “Files in and out”, at the end of School.</span>
        </button>
        <button class="way" :disabled="busy" @click="demo">
          <b>Look at the demo in a practice copy</b
          ><span>{{
            busy
              ? "It is being made: 386 students and half a year of post. This takes a minute …"
              : "A school that has run for half a year, beside yours. It goes by itself after two weeks."
          }}</span>
        </button>
        <p v-if="refused" role="alert" class="refused">{{ refused }}</p>
      </div>
    </div>
  </main>
</template>

<style scoped>
.door {
  max-width: 480px;
  margin: 6vh auto 40px;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 6px;
  overflow: hidden;
}
.door.wide {
  max-width: 640px;
}
.inside {
  padding: 24px 28px 28px;
}
.fields {
  display: flex;
  flex-direction: column;
  gap: 14px;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
p {
  margin: 0;
}
.area {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 11px;
  color: var(--ink);
  font: inherit;
  resize: vertical;
}
.refused {
  color: var(--red);
}
.way {
  display: flex;
  flex-direction: column;
  gap: 2px;
  text-align: left;
  padding: 12px 14px;
  border: 1px solid var(--rule);
  border-radius: 6px;
  background: var(--sheet);
  color: var(--ink);
  cursor: pointer;
  font: inherit;
}
.way:hover {
  background: var(--act-bg);
  border-color: var(--act);
}
.way span {
  color: var(--soft);
}
</style>
