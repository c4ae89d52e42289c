<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import RadioGroup from "ant-design-vue/es/radio/Group";
import Select from "ant-design-vue/es/select";
import { computed, inject } from "vue";
import WallInput from "../parts/WallInput.vue";

import type { Api } from "../api/client";
import type { Matcher, Step } from "../api/school-file";
import { useThings } from "../api/things";
import ConditionEdit from "../conditions/ConditionEdit.vue";
import type { Condition } from "../conditions/conditions";
import { useAbout } from "../parts/about";
import DurationInput from "../parts/DurationInput.vue";
import ThingPick from "../parts/ThingPick.vue";
import { EDITING, type Editing } from "./editing";
import LetterPanel from "./LetterPanel.vue";
import MatcherRow from "./MatcherRow.vue";
import WaitPanel from "./WaitPanel.vue";

/** The chosen step, to change. */
const step = defineModel<Step>({ required: true });
defineProps<{ mark: Api["MarkOut"] | undefined; sequence: string }>();
const { options } = useThings();
const about = useAbout();
const editing = inject(EDITING) as Editing;
interface Arm {
  if: Condition;
  steps: Step[];
}
const arms = computed(() => (step.value.arms as Arm[] | undefined) ?? []);
const set = (fields: object) => (step.value = { ...step.value, ...fields });
const setArm = (index: number, arm: Arm) => set({ arms: arms.value.map((one, at) => (at === index ? arm : one)) });
// What is no state: it counts only when it happens after the run began.
const HAPPENS = [
  "quiz_failed",
  "quiz_taken",
  "link_clicked",
  "answered",
  "letter_opened",
  "signed_in",
  "signed_up",
  "lesson_started",
  "refunded",
  "tag_removed",
  "inactive",
  "unlocking",
  "access_ending",
  "certificate_requested",
  "certificate_approved",
  "news_stopped",
  "course_help_stopped",
  "bounced",
  "complained",
];
const TITLES: Record<string, string> = {
  wait_for: "What does it wait for?",
  branch: "Who goes which way?",
  waypoint: "What carries a student here?",
  tag: "Which tags change?",
  repeat: "How often?",
  dated: "When?",
  start_sequence: "Which sequence begins?",
  stop_sequence: "Which sequence ends?",
  tell: "Who is told, and how?",
  certificate: "For which course?",
  call: "Which address is called?",
  end: "The end",
};
const to = computed(() =>
  step.value.to === "owner"
    ? ""
    : Array.isArray(step.value.to)
      ? step.value.to.join(", ")
      : String(step.value.to ?? ""),
);
function setTo(text: string): void {
  const found = text.split(/[,;\s]+/).filter(Boolean);
  set({ to: found.length > 1 ? found : (found[0] ?? "owner") });
}
</script>

<template>
  <LetterPanel v-if="step.do === 'send'" v-model="step" :mark="mark" />
  <WaitPanel v-else-if="step.do === 'wait'" v-model="step" />
  <div v-else class="panel">
    <div class="label">{{ step.do.replace("_", " ") }}</div>
    <h2>{{ TITLES[step.do] }}</h2>
    <template v-if="step.do === 'wait_for'">
      <div class="label">Until the student</div>
      <MatcherRow :model-value="step.event as Matcher" inside @update:model-value="(event) => set({ event })" />
      <span class="line"
        ><Checkbox :checked="Boolean(step.within)" @change="(e) => set({ within: e.target.checked ? 'P7D' : null })"
          >for at most</Checkbox
        ><DurationInput
          v-if="step.within"
          :model-value="step.within as string"
          :least="1"
          label="At most"
          @update:model-value="(within) => set({ within })"
      /></span>
      <p v-if="HAPPENS.includes((step.event as Matcher).on)" class="soft">
        Only what happens from now on counts, however often it has happened before. Afterwards both ways go on with the
        next step.
      </p>
      <p v-else class="soft">What is true already counts at once. Afterwards both ways go on with the next step.</p>
    </template>
    <template v-else-if="step.do === 'branch'">
      <div v-for="(arm, index) in arms" :key="index" class="arm">
        <div class="line between">
          <b>{{ index ? "else, if" : "If" }}</b><Button
            v-if="arms.length > 1"
            type="text"
            size="small"
            @click="set({ arms: arms.filter((_, at) => at !== index) })"
            >Remove this way</Button
          >
        </div>
        <ConditionEdit
          :model-value="arm.if"
          inside
          @update:model-value="(now) => now && setArm(index, { ...arm, if: now })"
        />
      </div>
      <Button
        size="small"
        @click="set({ arms: [...arms, { if: { is: 'completed', course: about ?? '' }, steps: [] }] })"
        >Add a way</Button
      >
      <p class="soft">The first way that fits is taken; everyone else goes “otherwise”.</p>
    </template>
    <template v-else-if="step.do === 'waypoint'">
      <MatcherRow :model-value="step.reach as Matcher" inside @update:model-value="(reach) => set({ reach })" />
      <Checkbox :checked="Boolean(step.hold)" @change="(e) => set({ hold: e.target.checked })"
        >Those who come on foot wait here until it happens</Checkbox
      >
      <p class="soft">
        Whoever does this jumps here at once, from anywhere above, and what they were waiting for is dropped.
      </p>
    </template>
    <template v-else-if="step.do === 'tag'">
      <label class="col"
        >Put on<Select
          v-named="'Tags to put on'"
          mode="tags"
          :value="(step.add as string[] | undefined) ?? []"
          :options="options.tag"
          placeholder="a tag, or a new word"
          @change="(add) => set({ add })"
      /></label>
      <label class="col"
        >Take off<Select
          v-named="'Tags to take off'"
          mode="tags"
          :value="(step.remove as string[] | undefined) ?? []"
          :options="options.tag"
          @change="(remove) => set({ remove })"
      /></label>
    </template>
    <template v-else-if="step.do === 'repeat'">
      <RadioGroup
        :value="step.times === null ? 'open' : 'times'"
        :options="[
          { value: 'times', label: 'a number of times' },
          { value: 'open', label: 'until the student leaves' },
        ]"
        @change="(e) => set({ times: e.target.value === 'open' ? null : 4 })"
      />
      <label v-if="step.times !== null" class="line"
        >rounds
        <InputNumber
          :value="step.times as number"
          :min="1"
          :max="520"
          aria-label="Rounds"
          @change="(n) => set({ times: Number(n ?? 1) })"
      /></label>
    </template>
    <template v-else-if="step.do === 'dated'">
      <div class="line">
        <WallInput :model-value="String(step.at)" @update:model-value="(at) => set({ at })" />
      </div>
      <RadioGroup
        :value="step.zone ?? 'student'"
        :options="[
          { value: 'school', label: 'school time' },
          { value: 'student', label: 'where the student lives' },
        ]"
        @change="(e) => set({ zone: e.target.value })"
      />
      <label class="line"
        >late by up to
        <DurationInput
          :model-value="(step.grace as string | null) ?? null"
          label="How late is still in time"
          @update:model-value="(grace) => set({ grace })"
        />
        still counts</label
      >
      <p class="soft">Whoever comes later than that skips these steps.</p>
    </template>
    <ThingPick
      v-else-if="step.do === 'start_sequence' || step.do === 'stop_sequence'"
      :model-value="step.sequence as string"
      kind="sequence"
      label="Which sequence"
      @update:model-value="(s) => set({ sequence: s })"
    />
    <template v-else-if="step.do === 'tell'">
      <label class="col"
        >Addresses, with commas between; empty means you<Input
          :value="to"
          placeholder="you"
          @change="(e: Event) => setTo((e.target as HTMLInputElement).value)"
      /></label>
      <ThingPick
        :model-value="step.letter ?? undefined"
        kind="letter"
        label="Which letter"
        @update:model-value="(letter) => set({ letter })"
      />
      <RouterLink
        v-if="step.letter"
        :to="{ path: `/letters/${step.letter}`, query: { back: `/sequences/${sequence}?step=${step.id}` } }"
        ><Button>Edit this letter</Button></RouterLink
      >
      <div v-else><Button @click="editing.writeLetter">Write a new letter</Button></div>
    </template>
    <ThingPick
      v-else-if="step.do === 'certificate'"
      :model-value="step.course as string"
      kind="course"
      label="Which course"
      :also="[{ value: 'this', label: 'this course' }]"
      @update:model-value="(course) => set({ course })"
    />
    <template v-else-if="step.do === 'call'">
      <Input
        :value="step.url as string"
        aria-label="Address"
        @change="(e: Event) => set({ url: (e.target as HTMLInputElement).value })"
      />
      <p class="soft">
        A signed message (Standard Webhooks) with the student and the step goes there. In a practice school it is kept,
        not sent.
      </p>
    </template>
    <p v-else class="soft">Whoever comes here is finished with this sequence.</p>
  </div>
</template>

<style scoped>
.panel {
  padding: 14px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.panel p {
  margin: 0;
}
.label::first-letter {
  text-transform: uppercase;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
  flex-wrap: wrap;
}
.between {
  justify-content: space-between;
}
.col {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
.arm {
  display: flex;
  flex-direction: column;
  gap: 6px;
  border-bottom: 1px solid var(--rule2);
  padding-bottom: 12px;
}
</style>
