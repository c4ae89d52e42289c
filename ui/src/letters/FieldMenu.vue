<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Popover from "ant-design-vue/es/popover";
import { computed, nextTick, ref } from "vue";

import type { Api } from "../api/client";

/** Merge fields to pick from: what each would print for the student shown, and why some can't be filled here. */
const props = defineProps<{ fields: Api["MergeFieldOut"][]; label: string }>();
const emit = defineEmits<{ pick: [field: Api["MergeFieldOut"]] }>();
const open = ref(false);
const q = ref("");
const list = ref<HTMLElement>();
const groups = computed(() => {
  const found = new Map<string, Api["MergeFieldOut"][]>();
  const words = q.value.toLowerCase().split(/\s+/);
  for (const field of props.fields)
    if (words.every((word) => `${field.group} ${field.label} ${field.value}`.toLowerCase().includes(word)))
      found.set(field.group, [...(found.get(field.group) ?? []), field]);
  return [...found];
});
function pick(field: Api["MergeFieldOut"]): void {
  open.value = false;
  q.value = "";
  emit("pick", field);
}
async function turned(now: boolean): Promise<void> {
  open.value = now;
  await nextTick();
  window.setTimeout(() => list.value?.querySelector("input")?.focus(), 60);
}
const first = () => groups.value[0]?.[1].find((field) => !field.why);
</script>

<template>
  <Popover :open="open" trigger="click" placement="bottomRight" @open-change="turned">
    <Button size="small" type="text" class="insert" :aria-label="`Insert a merge field into ${label}`"
      >+ merge field</Button
    >
    <template #content>
      <div ref="list" class="menu" @keydown.esc="open = false">
        <Input
          v-model:value="q"
          placeholder="Find a merge field"
          aria-label="Find a merge field"
          @press-enter="first() && pick(first()!)"
        />
        <div class="all">
          <section v-for="[group, found] in groups" :key="group">
            <h3>{{ group }}</h3>
            <button
              v-for="field in found"
              :key="field.name"
              class="field"
              :class="{ off: field.why }"
              @click="pick(field)"
            >
              <span>{{ field.label }}</span><span class="value postmark"
                ><bdi>{{ field.value || (field.group === "Links" ? "" : "—") }}</bdi></span
              >
              <span v-if="field.why" class="why">▲ {{ field.why }}</span
              ><span v-else-if="field.lacking" class="why"
                >{{ field.lacking }} {{ field.lacking === 1 ? "student has" : "students have" }} none</span
              >
            </button>
          </section>
          <p v-if="!groups.length" class="soft">No merge field like that.</p>
        </div>
      </div>
    </template>
  </Popover>
</template>

<style scoped>
.insert {
  color: var(--act);
  margin-left: auto;
}
.menu {
  width: 380px;
  max-width: 86vw;
}
.all {
  max-height: 340px;
  overflow: auto;
  margin-top: 8px;
}
h3 {
  font-size: 12.5px;
  color: var(--soft);
  margin: 8px 0 2px;
}
.field {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 0 10px;
  width: 100%;
  text-align: left;
  border: 0;
  background: none;
  padding: 5px 8px;
  border-radius: 4px;
  font: inherit;
  color: var(--ink);
  cursor: pointer;
}
.field:hover,
.field:focus-visible {
  background: var(--act-bg);
}
.value {
  color: var(--soft);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.why {
  grid-column: 1 / -1;
  color: var(--warn);
  font-size: 12.5px;
}
.off > span:first-child {
  color: var(--soft);
}
</style>
