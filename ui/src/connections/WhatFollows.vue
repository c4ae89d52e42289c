<script setup lang="ts">
import { computed } from "vue";

import type { Api } from "../api/client";
import { counted } from "../parts/counted";

/** What taking something in would set going, as the engine has just tried it. */
const props = defineProps<{ follows: Api["FollowsOut"] }>();
const quiet = computed(
  () => !props.follows.letters.length && !props.follows.sequences.length && !props.follows.stuck.length,
);
</script>

<template>
  <div class="follows" data-testid="follows">
    <p>
      <b>{{ counted(follows.events, "event") }}</b> would go in<template v-if="follows.students"
        >, {{ counted(follows.students, "new student") }}</template
      ><template v-if="follows.waits">; {{ follows.waits }} would wait for you</template>.
    </p>
    <p v-if="follows.untried" class="stuck">
      Tried with the newest; {{ follows.untried }} older ones are not in these numbers.
    </p>
    <p v-if="quiet"><b>Nothing would be posted.</b></p>
    <ul v-else>
      <li v-for="one in follows.letters" :key="one.key">
        <b class="postmark">{{ one.number }}</b> “{{ one.name }}” {{ one.number === 1 ? "goes" : "go" }} out at once
      </li>
      <li v-for="one in follows.stuck" :key="one.key" class="stuck">
        <b class="postmark">{{ one.number }}</b> “{{ one.name }}” would be stuck
      </li>
      <li v-for="one in follows.sequences" :key="one.key">
        <b class="postmark">{{ one.number }}</b> {{ one.number === 1 ? "begins" : "begin" }} “{{ one.name }}”
      </li>
    </ul>
  </div>
</template>

<style scoped>
.follows {
  background: var(--sheet2);
  border: 1px solid var(--rule2);
  border-radius: 6px;
  padding: 8px 12px;
  margin-bottom: 8px;
}
p {
  margin: 0;
}
ul {
  margin: 4px 0 0;
  padding: 0 0 0 18px;
}
.stuck {
  color: var(--warn);
}
</style>
