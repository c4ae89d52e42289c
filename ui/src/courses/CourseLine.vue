<script setup lang="ts">
import { computed } from "vue";

import type { Api } from "../api/client";
import LineLetters from "./LineLetters.vue";

/** A course as a line of stops: who stands where at the left, what the post does there at the right. */
const props = defineProps<{ line: Api["LineOut"] }>();
const silent = defineModel<number>("silent", { required: true });
const emit = defineEmits<{ who: [stop: Api["StopOut"], silentOnly: boolean]; nudge: [stop: string] }>();
// Which modules are folded; null until somebody has folded one: then those in which nothing is to be seen.
const chosen = defineModel<string[] | null>("folded", { required: true });
const most = computed(() => Math.max(1, ...props.line.stops.map((stop) => stop.here)));

// Modules in which nobody stands and nothing is posted begin folded.
const folded = computed(() => {
  if (chosen.value) return new Set(chosen.value);
  const busy = new Set(props.line.stops.filter((stop) => stop.here > 2 || stop.gap).map((stop) => stop.module));
  return new Set(
    props.line.stops
      .filter((stop) => stop.kind === "module" && stop.module && !busy.has(stop.module))
      .map((stop) => stop.module as string),
  );
});
function toggle(module: string | null): void {
  if (!module) return;
  const now = new Set(folded.value);
  if (!now.delete(module)) now.add(module);
  chosen.value = [...now];
}
const inside = (module: string | null) => props.line.stops.filter((stop) => stop.module === module);
const sum = (module: string | null, what: "here" | "silent") =>
  inside(module).reduce((total, stop) => total + stop[what], 0);
const shown = computed(() =>
  props.line.stops.filter((stop) => stop.kind === "module" || !stop.module || !folded.value.has(stop.module)),
);
const isFolded = (stop: Api["StopOut"]) =>
  stop.kind === "module" && stop.module !== null && folded.value.has(stop.module);
const here = (stop: Api["StopOut"]) => (isFolded(stop) ? sum(stop.module, "here") : stop.here);
const quiet = (stop: Api["StopOut"]) => (isFolded(stop) ? sum(stop.module, "silent") : stop.silent);
const lessons = (module: string | null) => inside(module).filter((stop) => stop.kind === "lesson").length;
/** What can be done about a gap where a letter hangs already: run its draft, or take in those who stand there. */
function hanging(stop: Api["StopOut"]): { to: string; says: string } | null {
  const one =
    stop.letters.find((letter) => letter.status === "draft") ??
    stop.letters.find((letter) => letter.status === "running");
  if (!one || !stop.silent) return null;
  return {
    to: `/sequences/${one.sequence}${one.status === "draft" ? "" : "?run"}`,
    says: one.status === "draft" ? "Look at the draft" : "Take them in",
  };
}
const letters = (stop: Api["StopOut"]) =>
  isFolded(stop) ? inside(stop.module).flatMap((one) => one.letters) : stop.letters;
</script>

<template>
  <div class="line-room">
    <header class="heads postmark">
      <span class="right"
        >Students here now ·
        <label class="quiet"
          >silent
          <select v-model.number="silent" aria-label="Silent for how many days">
            <option v-for="n in [3, 7, 14, 30]" :key="n" :value="n">{{ n }}+ days</option>
          </select></label
        ></span
      ><span /><span>Course</span><span>What the post does here</span>
    </header>
    <div
      v-for="stop in shown"
      :key="stop.id"
      class="stop"
      :class="[stop.kind, { folded: isFolded(stop) }]"
      :data-stop="stop.id"
    >
      <div class="people">
        <template v-if="here(stop)">
          <button
            class="count"
            :disabled="isFolded(stop)"
            :aria-label="`${here(stop)} students at ${stop.title}`"
            @click="emit('who', stop, false)"
          >
            {{ here(stop) }}
          </button>
          <button
            class="bar"
            :disabled="isFolded(stop)"
            :style="{ width: Math.max(24, (92 * here(stop)) / most) + 'px' }"
            :aria-label="`${quiet(stop)} of them silent at ${stop.title}`"
            :title="`${quiet(stop)} of them silent`"
            @click="emit('who', stop, true)"
          >
            <span :style="{ width: Math.max(8, (92 * here(stop)) / most) + 'px' }"
              ><i :style="{ width: (100 * quiet(stop)) / here(stop) + '%' }"
            /></span>
          </button>
        </template>
      </div>
      <div class="track"><i class="dot" /></div>
      <div class="name">
        <button
          v-if="stop.kind === 'module'"
          class="fold"
          :aria-expanded="!isFolded(stop)"
          @click="toggle(stop.module)"
        >
          <span class="sign">{{ isFolded(stop) ? "+" : "–" }}</span>{{ stop.title
          }}<span v-if="isFolded(stop)" class="soft"> · {{ lessons(stop.module) }} lessons</span>
        </button>
        <span v-else
          >{{ stop.title }}
          <span v-if="stop.kind === 'module_completed' || stop.kind === 'completed'" class="postmark passed">{{
            stop.passed
          }}</span></span
        >
        <span v-if="stop.detail" class="label">{{ stop.detail }}</span>
      </div>
      <div class="post">
        <LineLetters :letters="letters(stop)" />
        <template v-if="stop.gap && !isFolded(stop)">
          <RouterLink v-if="hanging(stop)" :to="hanging(stop)?.to ?? ''" class="gap"
            >{{ stop.gap }} <span class="act">{{ hanging(stop)?.says }}</span></RouterLink
          >
          <button v-else class="gap" @click="emit('nudge', stop.id)">
            <b>{{ stop.silent ? "No letter here" : "No check-in" }}</b> {{ stop.gap }}
            <span class="act">{{ stop.silent ? "Draft a nudge" : "Add one" }}</span>
          </button>
        </template>
      </div>
    </div>
    <section v-if="line.anywhere.length" class="anywhere">
      <h3>Anywhere in the course</h3>
      <LineLetters :letters="line.anywhere" />
    </section>
  </div>
</template>

<style scoped>
.line-room {
  overflow: auto;
  padding: 10px 22px 40px;
  min-width: 0;
}
.heads,
.stop {
  display: grid;
  grid-template-columns: 150px 30px minmax(150px, 1fr) minmax(220px, 290px);
  gap: 0 10px;
}
.heads {
  font-size: 12px;
  font-weight: 700;
  color: var(--soft);
  padding-bottom: 6px;
}
.right {
  text-align: right;
}
.quiet {
  color: var(--warn);
  white-space: nowrap;
}
.quiet select {
  border: 0;
  background: none;
  color: inherit;
  font: inherit;
  text-decoration: underline;
}
.stop {
  min-height: 30px;
}
.people {
  display: flex;
  justify-content: flex-end;
  align-items: flex-start;
  gap: 7px;
  padding-top: 3px;
}
.count {
  border: 0;
  background: none;
  padding: 0;
  min-width: 24px;
  min-height: 24px;
  text-align: right;
  color: var(--ink);
  font: inherit;
  cursor: pointer;
  text-decoration: underline;
  text-decoration-color: var(--rule);
  text-underline-offset: 3px;
}
.count:disabled {
  text-decoration: none;
  cursor: default;
}
.bar {
  height: 24px;
  border: 0;
  padding: 0;
  background: none;
  cursor: pointer;
  display: flex;
  align-items: center;
  justify-content: flex-end;
}
.bar span {
  height: 12px;
  background: #38699c;
  display: flex;
  justify-content: flex-end;
}
.bar i {
  background: #b37f1f;
  height: 100%;
  display: block;
}
.bar:disabled {
  cursor: default;
}
.track {
  position: relative;
  display: flex;
  justify-content: center;
}
.track::before {
  content: "";
  position: absolute;
  top: 0;
  bottom: 0;
  width: 3px;
  background: var(--ink);
}
.dot {
  position: relative;
  margin-top: 8px;
  width: 11px;
  height: 11px;
  border: 2.5px solid var(--ink);
  border-radius: 50%;
  background: var(--ground);
}
.quiz .dot {
  border-radius: 2px;
}
.module .dot {
  visibility: hidden;
}
.folded .dot {
  visibility: visible;
  opacity: 0.55;
}
.enrolment .dot,
.module_completed .dot {
  width: 16px;
  height: 16px;
  border-width: 4.5px;
  margin-top: 6px;
}
.completed .dot {
  width: 24px;
  height: 24px;
  background: var(--red);
  border-width: 3px;
  margin-top: 2px;
  border-radius: 8px;
}
.name {
  padding: 5px 0 3px;
  min-width: 0;
  overflow-wrap: anywhere;
  display: flex;
  gap: 8px;
  align-items: baseline;
  flex-wrap: wrap;
}
.module .name {
  padding-top: 12px;
}
.module_completed .name,
.completed .name,
.enrolment .name,
.certificate .name {
  font: 600 14.5px var(--title);
}
.passed {
  font-weight: 400;
  color: var(--soft);
  margin-left: 4px;
}
.fold {
  border: 0;
  background: none;
  padding: 0;
  font: 600 14.5px var(--title);
  color: var(--ink);
  cursor: pointer;
  text-align: left;
}
.sign {
  display: inline-block;
  width: 16px;
  color: var(--soft);
  font-family: var(--mark);
}
.post {
  padding: 3px 0;
  min-width: 0;
}
.gap {
  display: block;
  width: 100%;
  text-align: left;
  border: 1px dashed #a9bccb;
  background: none;
  border-radius: 4px;
  padding: 5px 10px;
  font: 12.5px/1.4 var(--text);
  color: var(--soft);
  cursor: pointer;
}
.gap:hover {
  border-color: var(--act);
}
.gap b {
  color: var(--ink);
}
.act {
  color: var(--act);
  text-decoration: underline;
  white-space: nowrap;
}
.anywhere {
  margin-top: 22px;
  max-width: 640px;
}
.anywhere h3 {
  margin-bottom: 6px;
}
@media (max-width: 720px) {
  .heads {
    display: none;
  }
  .stop {
    grid-template-columns: 70px 24px minmax(0, 1fr);
  }
  .post {
    grid-column: 3;
  }
  .bar {
    display: none;
  }
  .line-room {
    padding: 10px 12px 30px;
  }
}
</style>
