<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";

/** Rehearsals kept as checks of this sequence; those that come out differently say how. */
const props = defineProps<{ id: string }>();
const emit = defineEmits<{ show: [kept: Api["KeptOut"]] }>();
const { data: kept } = useQuery({
  queryKey: ["kept", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}/rehearsals", { params: { path: { key: props.id } } })),
});
const settle = useAct(
  async (what: { id: number; agree: boolean }) => {
    const place = { params: { path: { key: props.id, id: what.id } } };
    await (what.agree
      ? api.POST("/api/sequences/{key}/rehearsals/{id}/agree", place)
      : api.DELETE("/api/sequences/{key}/rehearsals/{id}", place));
  },
  { refreshes: ["kept"] },
);
</script>

<template>
  <section v-if="kept?.length" class="kept">
    <h3>Kept as checks</h3>
    <article v-for="one in kept" :key="one.id" class="sheet one">
      <div class="line">
        <button class="link" @click="emit('show', one)">{{ one.name }}</button><span
          v-if="!one.changes.length"
          class="well"
          >✓ as kept</span
        ><span v-else class="warn">▲ comes out differently</span>
      </div>
      <ul v-if="one.changes.length">
        <li v-for="(change, index) in one.changes" :key="index">
          <template v-if="change.was">no longer: {{ change.was }}</template
          ><template v-else>now: {{ change.now }}</template>
        </li>
      </ul>
      <div class="line">
        <Button v-if="one.changes.length" size="small" @click="settle.mutate({ id: one.id, agree: true })"
          >That is right now</Button
        ><Button size="small" type="text" @click="settle.mutate({ id: one.id, agree: false })">Forget</Button>
      </div>
    </article>
  </section>
</template>

<style scoped>
.kept {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.one {
  padding: 6px 10px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  justify-content: space-between;
}
ul {
  margin: 4px 0;
  padding-left: 16px;
  font-size: 12.5px;
}
.well {
  color: var(--well);
  font-size: 12.5px;
  white-space: nowrap;
}
.warn {
  color: var(--warn);
  font-size: 12.5px;
  white-space: nowrap;
}
</style>
