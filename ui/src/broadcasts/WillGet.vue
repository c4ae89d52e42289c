<script setup lang="ts">
import { computed } from "vue";

import type { Api } from "../api/client";
import { looking } from "./look";
import WontGet from "./WontGet.vue";

/** How many will get a broadcast, who won't, and how full their week will be. */
const props = defineProps<{ look: Api["OutlookOut"] | undefined; stale: boolean; without: number }>();
const emit = defineEmits<{ mend: [] }>();
const result = computed(() => props.look?.result ?? null);
/** Who fits now and not on its day, or the other way round. */
const changes = computed(() => {
  const { gone = 0, to_come = 0 } = result.value ?? {};
  const said = [gone ? `${gone} who fit now will not any more` : "", to_come ? `${to_come} more will` : ""].filter(
    Boolean,
  );
  return said.length ? ` on its day (${said.join(", ")})` : "";
});
</script>

<template>
  <div class="sum" :class="{ stale }" aria-live="polite">
    <template v-if="result"
      ><b class="big postmark" data-testid="will">{{ result.will }}</b>
      <div>
        <div>
          will get it <span class="soft">of {{ result.matching }} who fit{{ changes }}</span>
        </div>
        <WontGet :result="result" :without="without" @mend="emit('mend')" /></div
    ></template>
    <span v-else class="soft">{{
      look?.state === "failed" ? "The look ahead failed; change something to try again." : looking(look)
    }}</span>
  </div>
  <p v-if="result && result.crowded.most > 1" class="soft crowd">
    In the seven days around it they will have had {{ result.crowded.usual }}
    {{ result.crowded.usual === 1 ? "letter" : "letters" }} each, at most {{ result.crowded.most
    }}<template v-if="result.crowded.student && result.crowded.on_worst_day > 1"
      >; the fullest day is {{ result.crowded.worst_day }} with {{ result.crowded.on_worst_day }} (<RouterLink
        :to="`/students/${result.crowded.student.key}`"
        ><bdi>{{ result.crowded.student.name }}</bdi></RouterLink
      >)</template
    >.
  </p>
</template>

<style scoped>
.sum {
  display: flex;
  gap: 12px;
  align-items: flex-start;
  border-top: 1px solid var(--rule);
  padding-top: 12px;
  min-height: 62px;
}
.big {
  font-size: 40px;
  line-height: 1;
}
.sum.stale .big {
  opacity: 0.6; /* large text: 3 to 1 is enough (WCAG 2.2, 1.4.3); what is said beside it stays readable */
}
.crowd {
  margin: 0;
  font-size: 13px;
}
</style>
