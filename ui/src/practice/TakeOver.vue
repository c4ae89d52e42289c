<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref } from "vue";

import { api, data } from "../api/client";
import { inCopy, may } from "../api/rights";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";

/** From a practice copy to the school: what differs there, and making it a draft. Nothing where there is no copy. */
const props = defineProps<{ kind: "letter" | "sequence"; id: string; changed: boolean }>();
const asking = ref(false);
const taken = ref<{ to: string; name: string } | null>(null);
const path = computed(() => ({ kind: props.kind, key: props.id }));
const { data: found, error } = useQuery({
  queryKey: ["take-over", path],
  queryFn: () => data(api.GET("/api/take-over/{kind}/{key}", { params: { path: path.value } })),
  enabled: asking,
  gcTime: 0,
});
const take = useAct(() => data(api.POST("/api/take-over/{kind}/{key}", { params: { path: path.value } })), {
  done: (made) => (taken.value = made),
  refreshes: ["take-over"],
});
function begin(): void {
  taken.value = null;
  asking.value = true;
}
const ready = computed(() => !taken.value && !!found.value?.parts.length && !found.value.faults.length);
</script>

<template>
  <template v-if="inCopy && may('run')">
    <Button :disabled="changed" :title="changed ? 'Save it first' : undefined" @click="begin">Take it over …</Button>
    <AskDialog
      v-model:open="asking"
      title="Take it over to the school"
      ok="Make it a draft there"
      :cancel="taken ? 'Close' : 'Cancel'"
      :ready="ready"
      :busy="take.isPending.value"
      @ok="take.mutate()"
    >
      <div class="inside">
        <p v-if="taken">
          In the school there is “{{ taken.name }}” now. Nothing is posted by it until you let it.
          <a :href="taken.to">Open it there</a>
        </p>
        <p v-else-if="error" role="alert" class="refused">{{ error.message }}</p>
        <template v-else-if="found">
          <p v-if="!found.parts.length">It is the same in the school: there is nothing to take over.</p>
          <p v-else>It is put beside what the school has, in nobody's place. This is what differs:</p>
          <div v-for="part in found.parts" :key="part.title">
            <b>{{ part.title }}</b> <span v-if="part.fresh" class="soft">· the school has none of this name</span>
            <div v-for="(line, n) in part.lines" :key="n" class="line">
              <div class="label">{{ line.what }}</div>
              <del v-if="line.before">{{ line.before }}</del>
              <ins v-if="line.after">{{ line.after }}</ins>
            </div>
          </div>
          <p v-for="fault in found.faults" :key="fault" role="alert" class="refused">{{ fault }}</p>
        </template>
      </div>
    </AskDialog>
  </template>
</template>

<style scoped>
.inside {
  display: flex;
  flex-direction: column;
  gap: 12px;
  max-height: 56vh;
  overflow: auto;
}
p {
  margin: 0;
}
.line {
  padding: 6px 0 2px;
  overflow-wrap: anywhere;
}
del,
ins {
  display: block;
  padding: 2px 8px;
  border-radius: 4px;
  text-decoration: none;
}
del {
  background: var(--warn-bg);
}
ins {
  background: var(--well-bg);
}
.refused {
  color: var(--red);
}
</style>
