<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { computed, ref } from "vue";

import { useThings } from "../api/things";
import { MATCHERS } from "./matchers";

/** Every event to choose from at once, those this school begins with first, and a field to type in. */
const emit = defineEmits<{ pick: [on: string] }>();
const { things } = useThings();
const words = ref("");
const at = ref(0);
const likely = computed(() => things.value?.likely_starts ?? []);
const rank = (on: string) => (likely.value.includes(on) ? likely.value.indexOf(on) : likely.value.length);
const shown = computed(() => {
  const asked = words.value.toLowerCase().split(/\s+/).filter(Boolean);
  return MATCHERS.filter((kind) =>
    asked.every((word) =>
      `${kind.label} ${kind.group} ${kind.selectors.map((one) => one.kind).join(" ")}`.toLowerCase().includes(word),
    ),
  ).sort((a, b) => rank(a.value) - rank(b.value));
});
function key(event: KeyboardEvent): void {
  const step = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
  if (step) {
    at.value = Math.max(0, Math.min(shown.value.length - 1, at.value + step));
    event.preventDefault();
  } else if (event.key === "Enter") {
    const chosen = shown.value[at.value];
    if (chosen) emit("pick", chosen.value);
    event.preventDefault();
  }
}
</script>

<template>
  <div class="pick" @keydown="key">
    <Input v-model:value="words" placeholder="When a student …" aria-label="What happens" @input="at = 0" />
    <ul role="listbox" aria-label="Events">
      <li
        v-for="(kind, index) in shown"
        :key="kind.value"
        role="option"
        :aria-selected="index === at"
        :class="{ on: index === at }"
        @click="emit('pick', kind.value)"
        @mousemove="at = index"
      >
        <span
          >{{ kind.label }}<span v-if="kind.says" class="label says">{{ kind.says }}</span></span
        ><span class="label">{{ kind.group }}</span>
      </li>
      <li v-if="!shown.length" class="soft">Nothing like that. Try another word.</li>
    </ul>
  </div>
</template>

<style scoped>
.says {
  display: block;
}
.pick {
  width: 100%;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 300px;
  overflow-y: auto;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 5px 10px;
  border-radius: 4px;
  cursor: pointer;
}
li.on {
  background: var(--act-bg, #e1ebf6);
}
</style>
