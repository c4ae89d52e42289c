<script setup lang="ts">
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import { useThings } from "../api/things";

/** Picks one thing of the school by name; `also` are choices before them, `make` lets a new word be written. */
const chosen = defineModel<string | undefined>({ required: true });
const props = defineProps<{
  kind: string;
  label: string;
  also?: { value: string; label: string }[];
  make?: boolean;
  within?: string;
}>();
const { options } = useThings();
const all = computed(() => {
  const found = (options.value[props.kind] ?? []).filter(
    (one) => !props.within || one.value.startsWith(`${props.within}/`),
  );
  const missing =
    chosen.value !== undefined &&
    chosen.value !== "" &&
    ![...(props.also ?? []), ...found].some((one) => one.value === chosen.value);
  return [
    ...(props.also ?? []),
    ...(missing ? [{ value: chosen.value as string, label: chosen.value as string }] : []),
    ...found,
  ];
});
function searched(text: string): void {
  typed = text;
}
let typed = "";
function key(event: KeyboardEvent): void {
  if (
    props.make &&
    event.key === "Enter" &&
    typed &&
    !all.value.some((one) => one.label.toLowerCase().includes(typed.toLowerCase()))
  ) {
    chosen.value = typed.trim();
    typed = "";
  }
}
</script>

<template>
  <Select
    v-named="label"
    :value="chosen === '' ? undefined : chosen"
    :options="all"
    show-search
    option-filter-prop="label"
    :placeholder="make ? 'Choose, or write a new one and press Enter' : 'Choose'"
    class="thing"
    :get-popup-container="(node: HTMLElement) => node.parentElement ?? node"
    :not-found-content="make ? 'Press Enter to make it' : 'Nothing here'"
    @search="searched"
    @input-key-down="key"
    @change="(value) => (chosen = String(value))"
  />
</template>

<style scoped>
.thing {
  width: 100%;
  min-width: 150px;
}
</style>
