<script setup lang="ts">
import { computed, ref } from "vue";

import type { Api } from "../api/client";
import { may } from "../api/rights";
import { bySource, shared, type Told } from "./told";

/** What somebody hears when something happens; what most schools say there is marked where nobody says it. */
const props = defineProps<{ cell: Api["Cell"]; what: string; can: boolean }>();
const emit = defineEmits<{ off: [told: Told]; add: [] }>();
const MOST = 3;
const whole = ref(new Set<string>());
const told = computed(() => bySource(props.cell.heard));
const STATES: Record<string, string> = {
  paused: "paused, posts nothing",
  draft: "a draft, posts nothing yet",
  ended: "takes nothing any more",
};
const OFF: Partial<Record<Told["source"], string>> = {
  sequence: "Pause",
  broadcast: "Take back",
  notice: "Switch off",
  site: "Take away",
  destination: "Let it wait",
};
const offers = (one: Told) => OFF[one.source] && may("run") && ["running", "on", "scheduled"].includes(one.state);
const lines = (one: Told) => (whole.value.has(one.id) ? one.lines : one.lines.slice(0, MOST));
</script>

<template>
  <div class="cell">
    <p v-if="cell.twice" class="warn">
      <span aria-hidden="true">▲ </span>Said twice: by the course site and by a letter.
    </p>
    <section v-for="one in told" :key="one.id" :class="{ quiet: one.state in STATES }">
      <header>
        <RouterLink v-if="one.to" :to="one.to" class="name">{{ one.name }}</RouterLink><span v-else class="name">{{
          one.name
        }}</span
        ><button
          v-if="offers(one)"
          class="link off"
          :aria-label="`${OFF[one.source]}: ${one.name}`"
          @click="emit('off', one)"
        >
          {{ OFF[one.source] }}
        </button>
      </header>
      <p v-if="STATES[one.state]" class="label">{{ STATES[one.state] }}</p>
      <p v-if="shared(one)" class="label">{{ shared(one) }}</p>
      <ul>
        <li v-for="(line, at) in lines(one)" :key="at">
          <span v-if="line.when" class="postmark when">{{ line.when }}</span>
          {{ line.what }}<span v-if="line.only && !shared(one)" class="label"> · {{ line.only }}</span>
        </li>
      </ul>
      <button
        v-if="one.lines.length > MOST && !whole.has(one.id)"
        class="link more"
        @click="whole = new Set([...whole, one.id])"
      >
        and {{ one.lines.length - MOST }} more
      </button>
    </section>
    <p v-if="cell.missing" class="missing"><span aria-hidden="true">○ </span>Most schools say {{ cell.missing }}.</p>
    <button
      v-if="can"
      class="link add"
      :aria-label="`${cell.missing ? 'Say it' : 'Say something'}: ${what}`"
      @click="emit('add')"
    >
      {{ cell.missing ? "Say it" : "+" }}
    </button>
  </div>
</template>

<style scoped>
.cell {
  display: flex;
  flex-direction: column;
  gap: 8px;
  align-items: flex-start;
}
section {
  width: 100%;
}
section.quiet {
  color: var(--soft);
}
header {
  display: flex;
  gap: 10px;
  align-items: baseline;
  justify-content: space-between;
}
.name {
  font-weight: 600;
  font-size: 13.5px;
}
a.name {
  color: var(--ink);
  text-decoration: none;
}
a.name:hover {
  text-decoration: underline;
}
.off {
  font-size: 12.5px;
  white-space: nowrap;
}
ul {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
}
li {
  padding: 1px 0;
}
.when {
  color: var(--soft);
  margin-right: 6px;
  font-size: 13px;
}
p {
  margin: 0;
}
.missing {
  color: var(--warn);
}
.warn {
  color: var(--warn);
  background: var(--warn-bg);
  border-radius: 4px;
  padding: 2px 8px;
}
.add {
  text-decoration: none;
}
.more {
  font-size: 13px;
}
</style>
