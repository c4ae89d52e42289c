<script setup lang="ts">
import { computed } from "vue";

import type { Api } from "../api/client";

/** The days of a rehearsal in weeks, Monday first, with what happened and what went out. Empty weeks are folded. */
const props = defineProps<{ played: Api["Rehearsed"] }>();
const chosen = defineModel<number>({ required: true });
const NAMES = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

interface Day {
  day: number;
  date: Date;
  letters: Api["LetterShown"][];
  notes: Api["Note"][];
}
const weeks = computed(() => {
  const [year, month, day] = props.played.start.split("-").map(Number);
  const first = new Date(Date.UTC(year ?? 2026, (month ?? 1) - 1, day ?? 1));
  const shift = (first.getUTCDay() + 6) % 7;
  const last = Math.max(13 - shift, ...props.played.letters.map((l) => l.day), ...props.played.notes.map((n) => n.day));
  const found: Day[][] = [];
  for (let at = -shift; at <= last || (at + shift) % 7; at += 1) {
    const date = new Date(first.getTime() + at * 86_400_000);
    if ((at + shift) % 7 === 0) found.push([]);
    found.at(-1)?.push({
      day: at,
      date,
      letters: props.played.letters.filter((l) => l.day === at),
      notes: props.played.notes.filter((n) => n.day === at),
    });
  }
  return found;
});
const empty = (week: Day[]) => week.every((day) => !day.letters.length && !day.notes.length);
/** Weeks, with runs of empty ones drawn together. */
const shown = computed(() => {
  const found: (Day[] | number)[] = [];
  for (const week of weeks.value) {
    if (!empty(week)) found.push(week);
    else if (typeof found.at(-1) === "number") found[found.length - 1] = (found.at(-1) as number) + 1;
    else found.push(1);
  }
  return found;
});
</script>

<template>
  <div class="weeks">
    <template v-for="(week, index) in shown" :key="index">
      <p v-if="typeof week === 'number'" class="silence label">
        {{ week === 1 ? "a week" : `${week} weeks` }} without post
      </p>
      <div v-else class="week">
        <div v-for="day in week" :key="day.day" class="day">
          <header class="postmark">
            {{ NAMES[(day.date.getUTCDay() + 6) % 7] }} {{ day.date.getUTCDate()
            }}{{ day.date.getUTCDate() === 1 || day.day === 0 ? ` ${MONTHS[day.date.getUTCMonth()]}` : "" }}
          </header>
          <div class="box" :class="{ before: day.day < 0 }">
            <span v-if="day.day >= 0" class="number postmark">{{ day.day === 0 ? "Day 0" : day.day }}</span>
            <span v-for="(note, at) in day.notes.slice(0, 3)" :key="'n' + at" class="note" :class="note.kind"
              >{{ note.words }}, {{ note.clock }}</span
            >
            <span
              v-if="day.notes.length > 3"
              class="note more"
              :title="
                day.notes
                  .slice(3)
                  .map((note) => note.words)
                  .join('\n')
              "
              >and {{ day.notes.length - 3 }} more</span
            >
            <button
              v-for="letter in day.letters"
              :key="letter.index"
              class="letter"
              :class="[letter.status, { chosen: letter.index === chosen, own: letter.own }]"
              :aria-pressed="letter.index === chosen"
              @click="chosen = letter.index"
            >
              <span class="clock postmark">{{ letter.clock }}</span><span class="visually-hidden">{{
                letter.status === "sent" ? "goes out:" : "not posted:"
              }}</span
              >{{ letter.name }}
            </button>
          </div>
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.week {
  position: relative;
  display: grid;
  grid-template-columns: repeat(7, minmax(0, 1fr));
  gap: 4px;
  margin-bottom: 8px;
}
.day {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
header {
  font-weight: 700;
  font-size: 11.5px;
  letter-spacing: -0.03em;
  padding: 0 2px 3px;
  white-space: nowrap;
  overflow: hidden;
}
@media (max-width: 720px) {
  .week {
    grid-template-columns: repeat(7, minmax(80px, 1fr));
    overflow-x: auto;
  }
}
.box {
  flex: 1;
  background: var(--sheet);
  border: 1px solid var(--rule2);
  border-radius: 4px;
  padding: 4px;
  min-height: 58px;
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.before {
  background: none;
}
.number {
  font-size: 12px;
  font-weight: 700;
  color: var(--soft);
}
.note {
  font-size: 11.5px;
  line-height: 1.3;
  color: var(--warn);
  font-weight: 600;
  overflow-wrap: anywhere;
}
.note.tag,
.note.certificate {
  color: var(--soft);
  font-weight: 500;
}
.letter {
  border: 1px solid #a9bccb;
  border-radius: 3px;
  background: #fff;
  padding: 3px 5px;
  font: 11.5px/1.25 var(--text);
  color: var(--ink);
  text-align: left;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.letter.own {
  border-left: 3px solid var(--act);
}
.clock {
  display: block;
  color: var(--soft);
  font-size: 11px;
}
.letter.skipped,
.letter.stuck {
  border-style: dashed;
  text-decoration: line-through;
  color: var(--soft);
}
.chosen {
  outline: 2px solid var(--act);
  outline-offset: 1px;
}
.silence {
  text-align: center;
  margin: 4px 0 10px;
  border-top: 1px dotted var(--rule);
  padding-top: 4px;
}
</style>
