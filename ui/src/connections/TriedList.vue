<script setup lang="ts">
import type { Api } from "../api/client";
import { counted } from "../parts/counted";

/** What the last messages would become by what has been pointed at, one line each, and how many of each kind. */
const props = defineProps<{ tried: Api["WouldBeOut"]; chosen: number | null; kept: number; changed: boolean }>();
const emit = defineEmits<{ choose: [id: number] }>();
/** Whether that has come about, by the file as it is saved. */
const is = (one: Api["TriedMessage"]) => one.taken && !props.changed;
</script>

<template>
  <section class="tried" aria-label="What the messages would become">
    <p v-if="tried.missing.length" class="still"><b>Still to do:</b> {{ tried.missing.join(" ") }}</p>
    <p v-else-if="tried.faults.length" class="still">{{ tried.faults.join(" ") }}</p>
    <p v-else data-testid="would-be">
      Of {{ counted(kept, "message") }}: <b class="well">{{ counted(tried.events, "event") }}</b>,
      <b :class="{ wait: tried.waits }">{{ tried.waits }} would wait</b>, {{ tried.not_for_us }} not for us<template
        v-if="tried.refused"
        >, {{ tried.refused }} refused</template
      >.
    </p>
    <ul>
      <li v-for="one in tried.messages" :key="one.id" :class="{ chosen: one.id === chosen }">
        <button class="link postmark" :aria-pressed="one.id === chosen" @click="emit('choose', one.id)">
          {{ one.at }}
        </button>
        <div class="became">
          <span v-if="one.refused" class="wait">{{ one.refused }}</span>
          <span v-else-if="!one.items.length && !tried.missing.length && !tried.faults.length" class="soft"
            >Nothing in it for us.</span
          >
          <div v-for="(item, index) in one.items" :key="index" :class="item.kind">
            <template v-if="item.kind === 'event'"
              >{{ is(one) ? "Taken in" : "This would be" }}: {{ item.sentence }}</template
            >
            <template v-else-if="item.kind === 'waits'"
              >{{ is(one) ? "Waits" : "Would wait" }}: {{ item.sentence }}</template
            >
            <template v-else>{{ item.sentence }}</template>
          </div>
        </div>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.tried {
  padding: 10px 14px;
}
p {
  margin: 0 0 6px;
}
.still {
  color: var(--warn);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 190px;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 12px;
  padding: 4px 6px;
  border-top: 1px solid var(--rule2);
}
li.chosen {
  background: var(--act-bg);
}
.well,
.event {
  color: var(--well);
}
.wait,
.waits {
  color: var(--warn);
}
.not_for_us {
  color: var(--soft);
}
.became {
  overflow-wrap: anywhere;
}
</style>
