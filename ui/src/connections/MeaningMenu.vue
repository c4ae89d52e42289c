<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import { computed, nextTick, onMounted, ref } from "vue";

import { type ConnectionFile, meanings } from "./file";

/** What a value that was clicked is: chosen from a list, or a fact of the owner's own. */
const props = defineProps<{ file: ConnectionFile; rule: number; text: string }>();
const emit = defineEmits<{ meant: [part: string]; close: [] }>();
const naming = ref(false);
const fact = ref("");
const root = ref<HTMLElement>();
const choices = computed(() => meanings(props.file, props.rule));
// Facts about students are called in letters by these names, so they have the signs of one.
const name = computed(() =>
  fact.value
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "_")
    .replace(/^[_0-9]+|_+$/g, ""),
);
onMounted(() => void nextTick(() => root.value?.querySelector("button")?.focus()));
</script>

<template>
  <div ref="root" class="meanings sheet" role="group" aria-label="What is this?" @keydown.esc.stop="emit('close')">
    <p class="label">“{{ text.length > 60 ? `${text.slice(0, 60)}…` : text }}” is</p>
    <div class="choices">
      <button v-for="one in choices" :key="one.part" class="choice" @click="emit('meant', one.part)">
        {{ one.says }}
      </button>
      <button class="choice" @click="naming = true">another fact about them…</button>
    </div>
    <form v-if="naming" class="fact" @submit.prevent="name && emit('meant', `fact.${name}`)">
      <Input v-model:value="fact" size="small" placeholder="country" aria-label="What the fact is called" />
      <Button size="small" html-type="submit" :disabled="!name">Take it</Button>
    </form>
    <button class="link label" @click="emit('close')">Nothing we need</button>
  </div>
</template>

<style scoped>
.meanings {
  padding: 8px 10px;
  border-color: var(--act);
  max-width: 520px;
}
p {
  margin: 0 0 6px;
  overflow-wrap: anywhere;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-bottom: 6px;
}
.choice {
  font: inherit;
  font-size: 13px;
  color: var(--act);
  background: var(--act-bg);
  border: 1px solid transparent;
  border-radius: 12px;
  padding: 1px 10px;
  cursor: pointer;
}
.choice:hover {
  border-color: var(--act);
}
.fact {
  display: flex;
  gap: 8px;
  margin-bottom: 6px;
}
</style>
