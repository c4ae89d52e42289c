<script setup lang="ts">
import Dropdown from "ant-design-vue/es/dropdown";
import Menu from "ant-design-vue/es/menu";
import { computed } from "vue";

import { KINDS } from "./tree";

defineOptions({ inheritAttrs: false });
/** The + between two steps: a menu of every kind of step that can stand there. */
const props = defineProps<{ label: string; top: boolean; text?: string }>();
const emit = defineEmits<{ add: [kind: string] }>();
const groups = computed(() =>
  ["Post", "Time", "Ways", "Acts"].map((name) => ({
    name,
    kinds: KINDS.filter((kind) => kind.group === name && (props.top || kind.do !== "waypoint")),
  })),
);
</script>

<template>
  <Dropdown :trigger="['click']">
    <button v-bind="$attrs" class="plus" :class="{ text }" :aria-label="text ? undefined : label">
      {{ text ?? "+" }}
    </button>
    <template #overlay>
      <Menu class="kinds" @click="({ key }) => emit('add', String(key))">
        <Menu.ItemGroup v-for="group in groups" :key="group.name" :title="group.name">
          <Menu.Item v-for="kind in group.kinds" :key="kind.do"
            ><b>{{ kind.name }}</b
            >{{ " " }}<span class="soft">{{ kind.hint }}</span></Menu.Item
          >
        </Menu.ItemGroup>
      </Menu>
    </template>
  </Dropdown>
</template>

<style scoped>
.plus {
  width: 22px;
  height: 22px;
  line-height: 18px;
  border: 1px solid var(--rule);
  border-radius: 50%;
  background: var(--sheet2);
  color: var(--soft);
  cursor: pointer;
  opacity: 0.6;
  padding: 0;
  flex: none;
}
.plus:hover,
.plus:focus-visible {
  opacity: 1;
  color: var(--act);
  border-color: var(--act);
}
.plus.text {
  width: auto;
  border-radius: 16px;
  height: 32px;
  line-height: 28px;
  padding: 0 16px;
  opacity: 1;
  background: var(--sheet);
  color: var(--ink);
}
.kinds {
  max-height: 60vh;
  overflow-y: auto;
}
</style>
