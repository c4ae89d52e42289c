<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import KeptFile from "../parts/KeptFile.vue";
import { rooted } from "../api/base";
import { inCopy } from "../api/rights";
import { api, type Api, begunFrom, data } from "../api/client";
import type { School } from "../api/school-file";
import { FRESH_HOURS } from "../api/school-file";
import ClashDialog from "../parts/ClashDialog.vue";
import { placeOf, useDraft } from "../parts/draft";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import LettersBox from "./LettersBox.vue";
import SigningKeys from "./SigningKeys.vue";
import HoursEdit from "../sequences/HoursEdit.vue";
import { useSaving } from "../parts/saving";
import { useSaveKey } from "../parts/save-key";

const client = useQueryClient();
const notice = useNotice();
const draft = useDraft<School>(() => "school");
const { current, changed, clash, base, begin } = draft;
const shown = ref(false);
const { data: found } = useQuery({ queryKey: ["school"], queryFn: () => data(api.GET("/api/school")) });
const { data: zones } = useQuery({
  queryKey: ["zones"],
  queryFn: () => data(api.GET("/api/school/zones")),
  staleTime: Infinity,
});
watch(
  found,
  (now) => {
    if (now) begin(now.body as School, now.edition);
  },
  { immediate: true },
);
// Only read behind v-if, once both are there.
const school = computed(() => current.value as School);
const about = computed(() => found.value as Api["SchoolOut"]);
const hours = computed({
  get: () => current.value?.posting_hours !== null,
  set: (on) => current.value && (current.value.posting_hours = on ? { ...FRESH_HOURS } : null),
});
const set = <K extends keyof School>(name: K, value: School[K]) => current.value && (current.value[name] = value);
const typed = (event: Event) => (event.target as HTMLInputElement).value || null;
const { save, choose, saving } = useSaving<School, Api["SchoolOut"]>(
  draft,
  (body, begun) => data(api.PUT("/api/school", { params: { header: begunFrom(begun) }, body: { body } })),
  async () => {
    const now = await data(api.GET("/api/school"));
    return { body: now.body as School, edition: now.edition };
  },
  () => "Saved. It holds from the next letter on.",
);
useSaveKey(save);
const file = ref<HTMLInputElement>();
const wrong = ref("");
const withKeys = ref(false);
const bring = useMutation({
  // The file goes out as it is: whether it can be read is the other side’s to say.
  mutationFn: (text: string) =>
    data(api.POST("/api/school/file", { body: text as never, bodySerializer: (body) => body as unknown as string })),
  onSuccess: (now) => {
    wrong.value = "";
    notice.done(`Imported: ${now.students} students, ${now.events} events, ${now.sequences} sequences.`);
    localStorage.removeItem(placeOf("school"));
    void client.invalidateQueries();
  },
  onError: (error) => (wrong.value = error.message),
});
async function take(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0];
  if (chosen) bring.mutate(await chosen.text());
  if (file.value) file.value.value = "";
}
</script>

<template>
  <PageHead title="School"
    ><Button type="primary" :disabled="!changed" :loading="saving" @click="save">{{
      changed ? "Save" : "Saved"
    }}</Button></PageHead
  >
  <ClashDialog :clash="clash" :base="base" :mine="current" @later="clash = null" @chosen="choose" />
  <div v-if="current && found" class="room">
    <section class="sheet box">
      <h2>Who writes</h2>
      <label>Name of the school<Input v-model:value="school.name" /></label>
      <label>Letters are signed by<Input v-model:value="school.sender.name" /></label>
      <label>and come from<Input v-model:value="school.sender.email" type="email" /></label>
      <label
        >Replies go to<Input
          :value="school.reply_to ?? ''"
          placeholder="the same address"
          @input="(e: Event) => set('reply_to', typed(e))"
      /></label>
      <label
        >Postal address, printed below every letter<textarea v-model="school.postal_address" rows="2" class="area" />
      </label>
      <label
        >Where students sign in<Input
          :value="school.login_url ?? ''"
          placeholder="https://…"
          @input="(e: Event) => set('login_url', typed(e))"
      /></label>
    </section>
    <section class="sheet box">
      <h2>When letters go out</h2>
      <label
        >The school's time zone<Select
          v-model:value="school.timezone"
          v-named="'Time zone'"
          show-search
          :options="(zones?.zones ?? []).map((zone) => ({ value: zone, label: zone.replaceAll('_', ' ') }))"
          option-filter-prop="label"
      /></label>
      <Checkbox v-model:checked="hours">Keep to posting hours</Checkbox>
      <HoursEdit v-if="school.posting_hours" v-model="school.posting_hours" />
      <label
        >At most this many letters to one student a day (empty: no limit)<InputNumber
          :value="school.daily_limit ?? undefined"
          :min="1"
          :max="50"
          @change="(n) => set('daily_limit', n ? Number(n) : null)"
      /></label>
      <p class="soft">
        Hours and limit are for course help and news. Service letters, such as access and receipts, always go at once.
      </p>
    </section>
    <LettersBox :model-value="school" @update:model-value="(now) => (current = now)" />
    <section class="sheet box">
      <h2>What comes in and goes out</h2>
      <p class="soft">
        Shops, course sites and forms report what happens: orders, finished lessons, sign-ups. Other tools hear of it.
      </p>
      <div class="ways">
        <RouterLink to="/school/connections"><Button>Connections</Button></RouterLink
        >{{ " " }} <RouterLink to="/school/sign-up"><Button>Sign-up pages</Button></RouterLink>
        <RouterLink to="/school/destinations"><Button>Destinations and keys</Button></RouterLink>
      </div>
      <dl>
        <dt class="label">Calls that steps make are signed with another key</dt>
        <dd class="postmark">
          <template v-if="shown">{{ about.calls_key }}</template><button v-else class="link" @click="shown = true">
            Show the key
          </button>
        </dd>
        <dt class="label">Letters leave through</dt>
        <dd>{{ about.carrier }}</dd>
      </dl>
    </section>
    <section class="sheet box">
      <h2>All of it at a glance</h2>
      <p class="soft">
        Who hears what when something happens, what is worth mending, and what you hear of it yourself.
      </p>
      <div class="ways">
        <RouterLink to="/who-is-told"><Button>Who is told what</Button></RouterLink>
        <RouterLink to="/check-up"><Button>Check-up</Button></RouterLink>
        <RouterLink to="/weekly"><Button>The weekly letter</Button></RouterLink>
        <RouterLink to="/notices"><Button>Notices</Button></RouterLink>
      </div>
    </section>
    <section class="sheet box">
      <h2>How it runs</h2>
      <p v-if="inCopy" class="soft">
        Mail, copies, helpers and how it runs belong to the school, not to a practice copy of it.
      </p>
      <p v-else class="soft">
        Where letters are handed over, what brings the school back when a disk is lost, and who else may come in.
      </p>
      <div class="ways">
        <template v-if="!inCopy">
          <RouterLink to="/school/mail"><Button>Mail</Button></RouterLink>
          <RouterLink to="/school/copies"><Button>Copies</Button></RouterLink>
          <RouterLink to="/school/helpers"><Button>Helpers</Button></RouterLink>
          <RouterLink to="/school/check-up"><Button>How it runs</Button></RouterLink>
        </template>
        <RouterLink to="/school/changes"><Button>What was changed</Button></RouterLink>
      </div>
    </section>
    <SigningKeys />
    <section class="sheet box">
      <h2>Files in and out</h2>
      <p class="soft">
        A school file holds everything: courses, letters, sequences, students and what happened. It is plain JSON.
      </p>
      <div>
        <KeptFile :href="rooted(`/api/school/file${withKeys ? '?keys=true' : ''}`)" name="school.json"
          ><Button>Export the school</Button></KeptFile
        >
      </div>
      <Checkbox v-model:checked="withKeys">with the secret keys that certificates are signed with</Checkbox>
      <p v-if="withKeys" class="soft">
        Whoever has this file can sign certificates in your school's name. Keep it as you keep a password.
      </p>
      <div>
        <Button :loading="bring.isPending.value" @click="file?.click()">Import a school file</Button
        ><input
          ref="file"
          type="file"
          accept=".json,application/json"
          class="visually-hidden"
          aria-label="School file"
          @change="take"
        />
      </div>
      <p class="soft">
        Importing works into an empty school only. What the file says happened counts as the past; nothing is posted for
        it.
      </p>
      <pre v-if="wrong" class="wrong" role="alert">{{ wrong }}</pre>
    </section>
  </div>
</template>

<style scoped>
.room {
  padding: 18px 22px 32px;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(330px, 1fr));
  gap: 18px;
  align-items: start;
  max-width: 1180px;
}
.ways {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
label:not(.ant-checkbox-wrapper) {
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
  background: #fff;
  font: inherit;
  resize: vertical;
}
dl {
  display: grid;
  gap: 2px;
  margin: 0;
}
dd {
  margin: 0 0 8px;
  overflow-wrap: anywhere;
}
@media (max-width: 720px) {
  .room {
    padding: 14px;
    grid-template-columns: minmax(0, 1fr);
  }
}
.wrong {
  color: var(--red);
  white-space: pre-wrap;
  max-height: 200px;
  overflow: auto;
  margin: 0;
}
</style>
