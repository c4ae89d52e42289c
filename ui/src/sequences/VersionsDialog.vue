<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Modal from "ant-design-vue/es/modal";
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";

/** Who is on which version, and moving those on older ones to the one in force. */
const props = defineProps<{ open: boolean; id: string }>();
const emit = defineEmits<{ close: []; moving: [work: Api["BulkOut"]] }>();
const { data: found } = useQuery({
  queryKey: ["versions", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/sequences/{key}/versions", { params: { path: { key: props.id } } })),
  enabled: computed(() => props.open),
});
const shown = ref<number | null>(null);
const { data: people } = useQuery({
  queryKey: ["on-version", computed(() => props.id), shown],
  queryFn: () =>
    data(
      api.GET("/api/sequences/{key}/versions/{version}/students", {
        params: { path: { key: props.id, version: shown.value ?? 0 } },
      }),
    ),
  enabled: computed(() => shown.value !== null),
});
const move = useAct(() => data(api.POST("/api/sequences/{key}/move", { params: { path: { key: props.id } } })), {
  done: (work) => {
    emit("moving", work);
    emit("close");
  },
  refreshes: [],
});
</script>

<template>
  <Modal :open="open" title="Versions" :footer="null" @cancel="emit('close')">
    <table v-if="found" class="plain">
      <thead>
        <tr>
          <th>Version</th>
          <th>Saved</th>
          <th>Inside now</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="one in found.versions" :key="one.version">
          <tr>
            <td class="postmark">{{ one.version }}<template v-if="one.current"> · in force</template></td>
            <td>{{ one.saved }}</td>
            <td class="postmark">
              <button
                v-if="one.inside"
                class="link"
                :aria-expanded="shown === one.version"
                :aria-label="`${one.inside} on version ${one.version}: who?`"
                @click="shown = shown === one.version ? null : one.version"
              >
                {{ one.inside }}</button><template v-else>0</template>
            </td>
          </tr>
          <tr v-if="shown === one.version && people">
            <td colspan="3">
              <ul class="who">
                <li v-for="person in people" :key="person.key">
                  <RouterLink :to="`/students/${person.key}`">{{ person.name }}</RouterLink>{{ " "
                  }}<span class="label">{{
                    person.until ? `until ${person.until} where they live` : "until something happens"
                  }}</span>
                </li>
              </ul>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
    <template v-if="found?.landings.length">
      <p class="soft">Those on older versions finish there, unless you move them:</p>
      <ul>
        <li v-for="(one, index) in found.landings" :key="index">
          <b class="postmark">{{ one.number }}</b> on version {{ one.version }} at “{{ one.here }}” {{ one.sentence }}.
        </li>
      </ul>
      <Button type="primary" :loading="move.isPending.value" @click="move.mutate()"
        >Move them to the newest version</Button
      >
    </template>
  </Modal>
</template>

<style scoped>
p {
  margin: 12px 0 6px;
}
ul {
  padding-left: 18px;
}
li {
  padding: 2px 0;
}
.who {
  max-height: 220px;
  overflow-y: auto;
  margin: 0;
}
</style>
