<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { computed, ref } from "vue";
import WallInput from "../parts/WallInput.vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import PickPopover from "../parts/PickPopover.vue";

const props = defineProps<{ clock: Api["ClockOut"] }>();
const until = ref(props.clock.wall);

const move = useAct((body: Api["MoveClock"]) => data(api.POST("/api/clock", { body })), { refreshes: ["frame"] });
const busy = computed(() => props.clock.moving || move.isPending.value);
const waiting = computed(() => {
  if (!props.clock.next_post) return "Nothing is waiting";
  const n = props.clock.next_post_count;
  return `Next: ${props.clock.next_post} · ${n} ${n === 1 ? "student" : "students"}`;
});
</script>

<template>
  <div class="clock">
    <div class="label">School time · {{ clock.place }}</div>
    <div class="postmark now" data-testid="school-time">{{ clock.local }}</div>
    <div class="label">{{ busy ? "Moving on …" : waiting }}</div>
    <PickPopover v-if="clock.practice" placement="rightBottom" title="Move the school clock">
      <Button size="small" class="mover" :loading="busy">Move on</Button>
      <template #content>
        <p class="soft why">All that falls due on the way happens, in order.</p>
        <div class="moves">
          <Button :disabled="busy" @click="move.mutate({ to: 'next_letter' })">To the next in line</Button>
          <Button :disabled="busy" @click="move.mutate({ to: 'hour' })">An hour</Button>
          <Button :disabled="busy" @click="move.mutate({ to: 'day' })">A day</Button>
          <form class="until" @submit.prevent="move.mutate({ to: 'until', until })">
            <WallInput v-model="until" day="Date to move to" time="Time to move to" />
            <Button html-type="submit" :disabled="busy">Go</Button>
          </form>
        </div>
      </template>
    </PickPopover>
  </div>
</template>

<style scoped>
.now {
  font-weight: 700;
  font-size: 14px;
  white-space: nowrap;
  line-height: 1.35;
  margin: 2px 0;
}
.mover {
  margin-top: 8px;
}
.why {
  margin: 0 0 10px;
  max-width: 230px;
}
.moves {
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.until {
  display: flex;
  gap: 8px;
}
</style>
