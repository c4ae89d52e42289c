<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { computed } from "vue";

import PickPopover from "../parts/PickPopover.vue";
import { type At, placeWords } from "./file";

/** A place in the sentence: where a value stands, and which part of its text counts. */
const props = defineProps<{ value: string | At; label: string; fixed?: boolean }>();
const emit = defineEmits<{ change: [value: string | At]; drop: [] }>();
const at = computed<At>(() => (typeof props.value === "string" ? { place: props.value } : props.value));
const cut = computed(() => Boolean(at.value.after || at.value.before));
function set(part: "after" | "before", text: string): void {
  const now = { ...at.value };
  if (text) now[part] = text;
  else delete now[part];
  emit("change", Object.keys(now).length === 1 ? now.place : now);
}
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <span class="place">
    <PickPopover v-if="!fixed" :title="`${label}: which part of the text?`" placement="bottomLeft">
      <button class="chip" :aria-label="`${label}: ${placeWords(at.place)}`">
        {{ placeWords(at.place) }}<template v-if="cut"> (a part)</template>
      </button>
      <template #content>
        <label
          >What stands after<Input
            :value="at.after ?? ''"
            placeholder="the beginning"
            @change="(event: Event) => set('after', typed(event))"
        /></label>
        <label
          >and before<Input
            :value="at.before ?? ''"
            placeholder="the end"
            @change="(event: Event) => set('before', typed(event))"
        /></label>
      </template>
    </PickPopover>
    <span v-else class="chip">{{ placeWords(at.place) }}</span>
    <button class="drop" :aria-label="`Not ${placeWords(at.place)} for ${label}`" @click="emit('drop')">×</button>
  </span>
</template>

<style scoped>
.place {
  white-space: nowrap;
  display: inline-flex;
  max-width: 100%;
}
.chip {
  font: inherit;
  border: 0;
  border-bottom: 1px dashed var(--act);
  color: var(--ink);
  cursor: pointer;
  white-space: normal;
  text-align: left;
  overflow-wrap: anywhere;
}
span.chip {
  cursor: default;
}
.drop {
  font: inherit;
  background: none;
  border: 0;
  color: var(--soft);
  cursor: pointer;
  /* WCAG 2.2, 2.5.8: a target of at least 24 by 24 pixels. */
  min-width: 24px;
  min-height: 24px;
  padding: 0;
}
label {
  display: block;
  margin-bottom: 8px;
}
</style>
