<script setup lang="ts">
import { inject } from "vue";

import type { Step } from "../api/school-file";
import AddStep from "./AddStep.vue";
import { EDITING, type Editing, stepName } from "./editing";
import StepCard from "./StepCard.vue";
import { lanes } from "./tree";

/** A list of steps on the day ruler; lanes of a step are lists of their own, side by side. */
const props = defineProps<{ steps: Step[]; owner: string | null; lane: string; lead?: string }>();
const editing = inject(EDITING) as Editing;
const top = props.owner === null;
const mark = (step: Step) => editing.marks.value.get(step.id);
const shows = (step: Step) => step.do !== "wait" && step.do !== "tag" && step.do !== "end";
</script>

<template>
  <div class="list" :class="{ top }">
    <div v-for="(step, index) in steps" :key="step.id" class="row" :class="step.do">
      <div v-if="top" class="day">
        <template v-if="shows(step) && mark(step)"
          ><span class="postmark">{{ step.do === "waypoint" ? "any day" : mark(step)?.label }}</span
          ><span v-if="step.do !== 'waypoint'" class="label">{{ mark(step)?.detail }}</span></template
        >
      </div>
      <div v-if="top" class="line"><i v-if="shows(step) && step.do !== 'waypoint'" class="dot" /></div>
      <div class="body">
        <div v-if="!top && step.do === 'send' && mark(step)" class="inner-day postmark">
          {{ mark(step)?.label }}<template v-if="mark(step)?.detail">, {{ mark(step)?.detail }}</template>
        </div>
        <div class="with-plus">
          <StepCard :step="step" />
          <AddStep
            v-if="!lanes(step).length"
            :label="`Add a step after ${stepName(step, editing) || 'a letter'}`"
            :top="top"
            @add="(kind) => editing.add(kind, owner, lane, index + 1)"
          />
        </div>
        <div v-if="lanes(step).length" class="lanes" :class="[step.do, { many: lanes(step).length > 2 }]">
          <section
            v-for="inner in lanes(step, editing.phrases.value[step.id])"
            :key="inner.path.join('/')"
            class="lane"
            :aria-label="inner.name || step.do"
          >
            <header v-if="inner.name">{{ inner.name }}</header>
            <StepTree v-if="inner.steps.length" :steps="inner.steps" :owner="step.id" :lane="inner.path.join('/')" />
            <p v-else class="straight">
              Straight on.
              <AddStep
                :label="`Add a first step to ${inner.name}`"
                :top="false"
                @add="(kind) => editing.add(kind, step.id, inner.path.join('/'), 0)"
              />
            </p>
          </section>
        </div>
        <AddStep
          v-if="lanes(step).length"
          class="behind"
          :label="`Add a step after ${stepName(step, editing) || 'a letter'}`"
          :top="top"
          @add="(kind) => editing.add(kind, owner, lane, index + 1)"
        />
      </div>
    </div>
  </div>
</template>

<style scoped>
.row {
  min-width: 0;
}
.top > .row {
  display: grid;
  grid-template-columns: 92px 24px minmax(0, 1fr);
}
.day {
  padding-top: 10px;
  display: flex;
  flex-direction: column;
}
.day .postmark {
  font-weight: 700;
}
.line {
  position: relative;
  border-right: 1px solid var(--rule);
  margin-right: 11px;
}
.dot {
  position: absolute;
  right: -7px;
  top: 14px;
  width: 13px;
  height: 13px;
  border: 2.5px solid var(--ink);
  border-radius: 50%;
  background: var(--ground);
}
.body {
  padding: 2px 0 2px 16px;
  min-width: 0;
}
.list:not(.top) .body {
  padding-left: 0;
}
.with-plus {
  display: flex;
  align-items: center;
  gap: 12px;
  flex-wrap: wrap;
}
.inner-day {
  font-size: 12.5px;
  font-weight: 700;
  color: #43555f;
  padding: 4px 0 2px;
}
.lanes {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(250px, 100%), 1fr));
  gap: 12px;
  margin: 8px 0 10px;
  align-items: stretch;
  max-width: 980px;
}
.lane {
  border: 1px solid var(--rule);
  border-radius: 6px;
  background: #edf2f5;
  padding: 0 10px 10px;
  min-width: 0;
}
.lane header {
  margin: 0 -10px 8px;
  padding: 5px 12px;
  font-size: 13px;
  font-weight: 600;
  border-bottom: 1px solid var(--rule);
  background: #f0f4f7;
  border-radius: 6px 6px 0 0;
  overflow-wrap: anywhere;
}
.lanes.repeat,
.lanes.dated {
  grid-template-columns: minmax(0, 1fr);
}
.lanes.repeat .lane {
  border-width: 0 0 0 4px;
  border-radius: 0;
  border-color: var(--ink);
  padding: 6px 0 6px 12px;
  background: none;
}
.lanes.dated .lane {
  border-width: 0 0 0 4px;
  border-style: double;
  border-radius: 0;
  border-color: var(--red);
  padding: 6px 0 6px 12px;
  background: none;
}
.behind {
  margin: 0 0 8px 8px;
}
.straight {
  margin: 8px 2px;
  color: var(--soft);
  display: flex;
  gap: 8px;
  align-items: center;
}
@media (max-width: 720px) {
  .top > .row {
    grid-template-columns: 62px 20px minmax(0, 1fr);
  }
  .body {
    padding-left: 6px;
  }
}
</style>
