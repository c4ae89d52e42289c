<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import RadioGroup from "ant-design-vue/es/radio/Group";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import { api, type Api, data } from "../api/client";
import type { School, Sequence } from "../api/school-file";
import { FRESH_HOURS } from "../api/school-file";
import ConditionEdit from "../conditions/ConditionEdit.vue";
import type { Condition } from "../conditions/conditions";
import PickPopover from "../parts/PickPopover.vue";
import HoursEdit from "./HoursEdit.vue";
import MatcherEdit from "./MatcherEdit.vue";
import { AGAIN, hoursWords, oneIn } from "./words";

const sequence = defineModel<Sequence>({ required: true });
defineProps<{ checked: Api["Checked"] | undefined; saved: boolean }>();
const { data: school } = useQuery({
  queryKey: ["school"],
  queryFn: () => data(api.GET("/api/school")),
  staleTime: 60_000,
});

const schoolHours = computed(() => (school.value?.body as School | undefined)?.posting_hours ?? null);
const kind = computed({
  get: () => (sequence.value.posting_hours === "school" ? "school" : sequence.value.posting_hours ? "own" : "always"),
  set: (chosen: string) => {
    const own = schoolHours.value ?? FRESH_HOURS;
    sequence.value.posting_hours = chosen === "school" ? "school" : chosen === "own" ? { ...own } : null;
  },
});
const inForce = computed(() =>
  sequence.value.posting_hours === "school" ? schoolHours.value : sequence.value.posting_hours,
);
const join = (found: string[] | undefined) => (found ?? []).join(", or has ");
</script>

<template>
  <section class="sentence">
    <div>
      <div class="caption">Starts</div>
      <PickPopover placement="bottomLeft" title="What puts a student into this sequence?">
        <button class="link part" data-testid="starts">
          {{ sequence.starts.length ? `When a student has ${join(checked?.starts)}` : "Choose what starts it" }}
        </button>
        <template #content><MatcherEdit v-model="sequence.starts" label="Or when something else happens" /></template>
      </PickPopover>
      <div>
        <PickPopover placement="bottom" title="How often can the same student come in?">
          <button class="link part">{{ AGAIN[sequence.again] }}</button>
          <template #content
            ><Select
              v-model:value="sequence.again"
              v-named="'How often'"
              :options="Object.entries(AGAIN).map(([value, label]) => ({ value, label }))"
              style="width: 280px"
          /></template> </PickPopover
        >,
        <PickPopover placement="bottom" title="Only some of them?">
          <button class="link part" data-testid="only-if">
            {{ checked?.only_if ? `only who ${checked.only_if}` : "everyone" }}
          </button>
          <template #content
            ><div class="only">
              <ConditionEdit
                :model-value="(sequence.only_if as Condition | null) ?? null"
                inside
                @update:model-value="(now) => (sequence.only_if = now)"
              /></div
          ></template> </PickPopover
        ><template v-if="saved"
          >,{{ " "
          }}<RouterLink :to="`/sequences/${sequence.key}/trial`" class="link part" data-testid="trial">{{
            sequence.trial ? `${oneIn(sequence.trial.hold_back)} held back by lot` : "nobody held back"
          }}</RouterLink></template
        >
      </div>
    </div>
    <div>
      <div class="caption">Leaves early</div>
      <PickPopover placement="bottomLeft" title="What takes a student out at once?">
        <button class="link part">
          {{ sequence.leaves.length ? `if they have ${join(checked?.leaves)}` : "never" }}
        </button>
        <template #content
          ><MatcherEdit v-model="sequence.leaves" label="Add a reason to leave" first="refunded"
        /></template>
      </PickPopover>
    </div>
    <div>
      <div class="caption">Posts</div>
      <PickPopover placement="bottomRight" title="When may its letters go out?">
        <button class="link part">{{ hoursWords(inForce) }}</button>
        <template #content>
          <div class="hours">
            <RadioGroup
              v-model:value="kind"
              :options="[
                { value: 'school', label: 'In the school’s posting hours' },
                { value: 'own', label: 'In hours of its own' },
                { value: 'always', label: 'At any hour' },
              ]"
            />
            <HoursEdit
              v-if="sequence.posting_hours && sequence.posting_hours !== 'school'"
              v-model="sequence.posting_hours"
            />
            <p class="soft">Service letters, such as the access letter, always go out at once.</p>
            <label class="reply"
              >Answers to its letters go to<Input
                :value="sequence.reply_to ?? ''"
                aria-label="Answers go to"
                placeholder="the school's address"
                @change="(e: Event) => (sequence.reply_to = (e.target as HTMLInputElement).value.trim() || null)"
            /></label>
          </div>
        </template>
      </PickPopover>
      <template v-if="inForce"
        >, in {{ inForce.zone === "student" ? "the student's" : "the school's" }} time zone</template
      >
      <div>
        <button
          class="link part"
          :aria-pressed="sequence.holds_broadcasts"
          @click="sequence.holds_broadcasts = !sequence.holds_broadcasts"
        >
          {{ sequence.holds_broadcasts ? "holds broadcasts back" : "lets broadcasts through" }}
        </button>
      </div>
    </div>
  </section>
</template>

<style scoped>
.sentence {
  display: grid;
  grid-template-columns: minmax(0, 5fr) minmax(0, 2.4fr) minmax(0, 2.6fr);
  gap: 8px 26px;
  padding: 9px 22px;
  background: var(--sheet2);
  border-bottom: 1px solid var(--rule);
  flex: none;
}
.part {
  display: inline;
  overflow-wrap: anywhere;
}
.only {
  width: min(420px, 80vw);
  max-height: 60vh;
  overflow-y: auto;
}
.caption {
  font-size: 11px;
  letter-spacing: 0.04em;
  text-transform: uppercase;
  color: var(--soft);
}
.hours {
  max-width: 380px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.hours p {
  margin: 0;
}
.reply {
  display: flex;
  flex-direction: column;
  gap: 3px;
  color: var(--soft);
}
.hours :deep(.ant-radio-group) {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
@media (max-width: 720px) {
  .sentence {
    grid-template-columns: minmax(0, 1fr);
    padding: 9px 14px;
  }
}
</style>
