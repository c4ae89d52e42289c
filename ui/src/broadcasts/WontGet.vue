<script setup lang="ts">
import { ref } from "vue";

import type { Api } from "../api/client";

/** Who will not get it, or gets it later, and why: each number opens its names. */
defineProps<{ result: Api["OutlookResult"]; without: number }>();
const emit = defineEmits<{ mend: [reason: string] }>();
const open = ref<string | null>(null);
const SIGN = { not: "", later: "◷", mend: "▲", waits: "◷" };
</script>

<template>
  <ul class="groups">
    <li v-for="group in result.groups" :key="group.kind + group.reason" :class="group.kind">
      <button
        class="link"
        :aria-expanded="open === group.kind + group.reason"
        @click="open = open === group.kind + group.reason ? null : group.kind + group.reason"
      >
        <b class="postmark">{{ group.number }}</b> {{ SIGN[group.kind] }} {{ group.sentence }}
      </button>
      {{ " "
      }}<button v-if="group.kind === 'mend'" class="link mend" @click="emit('mend', group.reason)">
        Give it a fallback in the letter
      </button>
      <ul v-if="open === group.kind + group.reason" class="names">
        <li v-for="one in group.students" :key="one.key">
          <RouterLink :to="`/students/${one.key}`"
            ><bdi>{{ one.name }}</bdi></RouterLink
          >{{ " " }}<span class="label">{{ one.detail }}</span>
        </li>
        <li v-if="group.number > group.students.length" class="soft">
          and {{ group.number - group.students.length }} more
        </li>
      </ul>
    </li>
    <li v-if="without" class="not">
      <span
        ><b class="postmark">{{ without }}</b> taken out by you</span
      >
    </li>
  </ul>
</template>

<style scoped>
.groups {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 3px 18px;
  align-items: flex-start;
}
.groups > li {
  min-width: 0;
}
.groups > li:has(.names) {
  flex: 1 0 100%;
}
.link {
  text-decoration: none;
  color: var(--soft);
}
.link:hover {
  text-decoration: underline;
}
.later .link,
.waits .link,
.mend .link {
  color: var(--warn);
}
.mend .mend {
  color: var(--act);
  margin-left: 10px;
  text-decoration: underline;
}
.names {
  list-style: none;
  margin: 4px 0 8px;
  padding: 6px 12px;
  max-height: 220px;
  overflow-y: auto;
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 6px;
  columns: 2 220px;
}
.names li {
  padding: 2px 0;
  break-inside: avoid;
  overflow-wrap: anywhere;
}
</style>
