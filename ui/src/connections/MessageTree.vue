<script setup lang="ts">
import { computed } from "vue";

import { placeOf, within } from "./file";

/** A part of a message as it came: every text can be clicked; chips say what has been taken from where. */
defineOptions({ name: "MessageTree" });
const props = defineProps<{
  node: unknown;
  pointer: string;
  name: string;
  /** Whether it is one of a list, so that its name is its number from 0. */
  listed?: boolean;
  lines: string[];
  taken: Map<string, string[]>;
  chosen: string | null;
}>();
const emit = defineEmits<{ choose: [pointer: string, text: string]; list: [pointer: string] }>();

const list = computed(() => Array.isArray(props.node));
const inner = computed<[string, unknown][] | null>(() => {
  if (Array.isArray(props.node)) return props.node.map((one, index) => [String(index), one]);
  return props.node && typeof props.node === "object" ? Object.entries(props.node) : null;
});
const place = computed(() => placeOf(props.pointer, props.lines));
const said = computed(() => props.taken.get(place.value) ?? []);
const text = computed(() => (typeof props.node === "boolean" ? String(props.node) : (props.node as string | null)));
const empty = computed(() => text.value === null || text.value.trim() === "");
const isLine = computed(() => props.lines.includes(props.pointer));
const called = computed(() =>
  isLine.value ? `line ${Number(props.name) + 1}` : props.listed ? String(Number(props.name) + 1) : props.name,
);
const ofObjects = computed(
  () => list.value && (props.node as unknown[]).some((one) => one !== null && typeof one === "object"),
);
</script>

<template>
  <li :class="{ line: isLine }">
    <template v-if="inner">
      <span v-if="name" class="name">{{ called }}</span>
      <button v-if="ofObjects && !lines.length" class="link small" @click="emit('list', pointer)">
        Each of these is one thing that happened
      </button>
      <span v-if="!inner.length" class="label">{{ list ? "an empty list" : "nothing in it" }}</span>
      <ul>
        <MessageTree
          v-for="[own, value] in inner"
          :key="own"
          :node="value"
          :name="own"
          :listed="list"
          :pointer="within(pointer, own)"
          :lines="lines"
          :taken="taken"
          :chosen="chosen"
          @choose="(...which) => emit('choose', ...which)"
          @list="(which) => emit('list', which)"
        >
          <template #menu><slot name="menu" /></template>
        </MessageTree>
      </ul>
    </template>
    <template v-else>
      <span class="name">{{ called || "the message" }}</span>
      <span v-if="empty" class="label">empty</span>
      <button
        v-else
        class="value"
        :class="{ taken: said.length, chosen: chosen === pointer }"
        :aria-expanded="chosen === pointer"
        @click="emit('choose', pointer, text ?? '')"
      >
        {{ text }}
      </button>
      <span v-for="one in said" :key="one" class="chip">{{ one }}</span>
      <div v-if="chosen === pointer" class="menu"><slot name="menu" /></div>
    </template>
  </li>
</template>

<style scoped>
li {
  list-style: none;
  padding: 2px 0;
  overflow-wrap: anywhere;
}
ul {
  margin: 0;
  padding: 0 0 0 14px;
  border-left: 1px solid var(--rule2);
}
.line > ul {
  border-left-color: var(--act);
}
.name {
  color: var(--soft);
  margin-right: 8px;
}
.name::after {
  content: ":";
}
.value {
  font: inherit;
  font-family: var(--mark);
  text-align: left;
  color: var(--ink);
  background: var(--sheet2);
  border: 1px solid var(--rule2);
  border-radius: 4px;
  padding: 0 6px;
  cursor: pointer;
  max-width: 100%;
  overflow-wrap: anywhere;
}
.value:hover,
.value.chosen {
  border-color: var(--act);
  background: var(--act-bg);
}
.value.taken {
  border-color: var(--act);
  background: var(--sheet);
}
.chip {
  margin-left: 6px;
  font-size: 12px;
  white-space: normal;
}
.small {
  font-size: 12.5px;
}
.menu {
  margin: 6px 0 8px;
}
</style>
