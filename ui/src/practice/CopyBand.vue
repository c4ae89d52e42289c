<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { ref } from "vue";

import { csrfToken } from "../api/client";
import { useNotice } from "../parts/notice";

/** Above every page of a practice copy, so that nobody takes it for the school. */
defineProps<{ school: string; mayThrow: boolean }>();
const notice = useNotice();
const busy = ref(false);
// The school's own address: what lies there is not this copy.
const HOME = "/practice";

async function throwAway(): Promise<void> {
  const said = "Everything that was tried here goes. In the school nothing changes.";
  if (!(await notice.ask("Throw this practice copy away?", said, "Throw it away", "Not now"))) return;
  busy.value = true;
  const answer = await fetch("/api/practice-copy", { method: "DELETE", headers: { "X-CSRF-Token": csrfToken() } });
  busy.value = false;
  if (answer.ok) location.assign(HOME);
  else notice.refused("It could not be thrown away. Try it in the school.");
}
</script>

<template>
  <div class="band" role="note" aria-label="Practice copy">
    <span
      ><b>Practice copy</b> of <bdi>{{ school }}</bdi>: letters go to the mailroom, and nothing reaches anybody.</span
    >
    <span class="acts"
      ><a :href="HOME">Back to the school</a
      ><Button v-if="mayThrow" size="small" ghost :loading="busy" @click="throwAway">Throw it away</Button></span
    >
  </div>
</template>

<style scoped>
.band {
  background: #5d3a78;
  color: #fff;
  padding: 6px 22px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  justify-content: space-between;
  align-items: center;
  flex: none;
  position: sticky;
  top: 0;
  z-index: 6;
}
.acts {
  display: flex;
  gap: 14px;
  align-items: center;
}
a {
  color: #fff;
  text-decoration: underline;
}
</style>
