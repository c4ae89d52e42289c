<script setup lang="ts">
import { computed, inject } from "vue";

import { PURPOSES, type Step } from "../api/school-file";
import FindingLines from "../parts/FindingLines.vue";
import { lettersOf } from "../parts/posted";
import { EDITING, type Editing, stepName } from "./editing";
import { spanWords, waitWords } from "./words";

/** One step as it stands on the ruler. */
const props = defineProps<{ step: Step }>();
const editing = inject(EDITING) as Editing;
const keys = computed(() => lettersOf(props.step));
const letter = computed(() => editing.letters.value.get(keys.value[0] ?? ""));
const figures = computed(() => editing.figures.value[props.step.id]);
const findings = computed(() => editing.findings.value.filter((finding) => finding.step === props.step.id));
const phrase = computed(() => editing.phrases.value[props.step.id]?.[0] ?? "…");
const chosen = computed(() => editing.chosen.value === props.step.id);
const choose = () => (editing.chosen.value = props.step.id);
const name = (key: unknown) => editing.names.value.get(String(key)) ?? (key ? String(key) : "…");
const date = computed(() => String(props.step.at ?? "").replace("T", " "));
const list = (found: unknown) => (found as string[] | undefined) ?? [];
</script>

<template>
  <div class="step" :data-step="step.id">
    <button
      v-if="step.do === 'send' || step.do === 'tell'"
      class="card"
      :class="{ chosen }"
      :aria-pressed="chosen"
      @click="choose"
    >
      <span class="airmail" />
      <span class="name">{{ stepName(step, editing) || "Choose a letter" }}</span>
      <span class="facts">
        <span v-if="step.do === 'tell'" class="pill"
          >to {{ step.to === "owner" ? "you" : Array.isArray(step.to) ? step.to.join(", ") : step.to }}</span
        >
        <span v-else-if="letter" class="pill">{{ PURPOSES[letter.purpose as keyof typeof PURPOSES] }}</span>
        <span v-if="figures?.sent">{{ figures.sent }} sent</span
        ><span v-if="figures?.opened">opened by {{ figures.opened }}</span
        ><span v-if="figures?.skipped">{{ figures.skipped }} not posted</span
        ><span v-if="figures?.stuck" class="warn">{{ figures.stuck }} stuck</span>
        <span v-if="!figures?.sent && !figures?.skipped" class="soft">not posted yet</span>
      </span>
    </button>
    <button v-else-if="step.do === 'wait'" class="wait" :class="{ chosen }" :aria-pressed="chosen" @click="choose">
      <span v-for="(part, index) in waitWords(step)" :key="index" :class="{ mark: part.mark }">{{ part.text }}</span>
    </button>
    <button v-else-if="step.do === 'waypoint'" class="flag" :class="{ chosen }" :aria-pressed="chosen" @click="choose">
      <b>Waypoint</b>{{ " " }}<span>{{ phrase }}</span
      >{{ " "
      }}<span class="soft">{{
        step.hold ? "— everyone waits here for it" : "— whoever gets here skips everything above"
      }}</span>
    </button>
    <button v-else-if="step.do === 'tag'" class="plain" :class="{ chosen }" :aria-pressed="chosen" @click="choose">
      <span v-for="tag in list(step.add)" :key="'+' + tag" class="luggage">adds “{{ tag }}”</span>
      <span v-for="tag in list(step.remove)" :key="'-' + tag" class="luggage off">takes off “{{ tag }}”</span>
      <span v-if="!list(step.add).length && !list(step.remove).length" class="luggage">choose a tag</span>
    </button>
    <button v-else class="sentence" :class="{ chosen }" :aria-pressed="chosen" @click="choose">
      <template v-if="step.do === 'wait_for'"
        >Wait for the student to have <span class="part">{{ phrase }}</span><template v-if="step.within"
          >, up to <span class="part">{{ spanWords(step.within as string) }}</span></template
        ><template v-else>, however long it takes</template></template
      >
      <template v-else-if="step.do === 'branch'">Which way? <span class="soft">decided at this moment</span></template>
      <template v-else-if="step.do === 'repeat'"
        >Repeat <span class="part">{{ step.times === null ? "without end" : `${step.times} times` }}</span></template
      >
      <template v-else-if="step.do === 'dated'"
        >On <span class="part postmark">{{ date }}</span>{{ " "
        }}<span class="soft">{{ step.zone === "school" ? "school time" : "where they live" }}</span></template
      >
      <template v-else-if="step.do === 'start_sequence'">Start “{{ name(step.sequence) }}”</template>
      <template v-else-if="step.do === 'stop_sequence'">Take the student out of “{{ name(step.sequence) }}”</template>
      <template v-else-if="step.do === 'certificate'"
        >Issue the certificate
        <span class="soft">of {{ step.course === "this" ? "this course" : name(step.course) }}</span></template
      >
      <template v-else-if="step.do === 'call'"
        >Call <span class="postmark">{{ step.url }}</span></template
      >
      <template v-else-if="step.do === 'end'"
        ><b>The end</b>{{ " " }}<span class="soft">of the sequence, for those who get here</span></template
      >
    </button>
    <button v-if="figures?.waiting" class="link waiting" @click="editing.who(step.id)">
      {{ figures.waiting }} {{ step.do === "send" ? "held here" : "waiting" }}
    </button>
    <div v-if="findings.length" class="findings"><FindingLines :found="findings" aloud @mend="editing.mend" /></div>
  </div>
</template>

<style scoped>
.step {
  min-width: 0;
  max-width: 100%;
}
button {
  color: var(--ink);
  cursor: pointer;
  text-align: left;
  font: inherit;
}
.card {
  display: block;
  width: 384px;
  max-width: 100%;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 4px;
  padding: 0;
  overflow: hidden;
  box-shadow: 0 1px 2px rgb(19 40 59 / 12%);
}
.card .airmail {
  display: block;
}
.card .name {
  display: block;
  padding: 7px 13px 0;
  font: 600 15px/1.3 var(--title);
  overflow-wrap: anywhere;
}
.facts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  padding: 4px 13px 8px;
  font-size: 12.5px;
  align-items: center;
}
.chosen {
  outline: 2px solid var(--act);
  outline-offset: 2px;
}
.wait {
  border: 0;
  border-left: 2px dotted var(--soft);
  background: none;
  margin-left: 18px;
  padding: 13px 14px;
  font: 14px var(--mark);
  color: #43555f;
  border-radius: 0;
  display: inline-flex;
  flex-wrap: wrap;
  gap: 0 8px;
}
.mark {
  border-bottom: 1px solid var(--warn-mark);
  color: var(--ink);
}
.flag {
  display: block;
  width: 100%;
  min-width: min(560px, 60vw);
  border: 1px solid #ecd39a;
  border-left: 5px solid var(--warn-mark);
  background: var(--warn-bg);
  border-radius: 0 6px 6px 0;
  padding: 7px 14px;
  margin: 6px 0 6px -28px;
}
.flag b {
  font-family: var(--title);
  margin-right: 6px;
}
.flag .soft {
  color: #6d5310;
}
.plain {
  border: 0;
  background: none;
  padding: 4px 0 4px 18px;
  display: inline-flex;
  gap: 8px;
  flex-wrap: wrap;
  border-radius: 4px;
}
.off {
  text-decoration: line-through;
}
.sentence {
  border: 1px solid var(--rule);
  background: var(--sheet2);
  border-radius: 6px;
  padding: 7px 13px;
  font-weight: 500;
  max-width: 620px;
  overflow-wrap: anywhere;
  margin: 4px 0;
}
.part {
  background: var(--act-bg);
  color: var(--act);
  border-radius: 3px;
  padding: 1px 5px;
}
.waiting {
  font-size: 13px;
  margin: 0 0 4px 12px;
  color: var(--act);
}
.warn {
  color: var(--warn);
}
.findings {
  max-width: 560px;
}
</style>
