<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";

interface NamedLink {
  label: string;
  url: string;
}
/** A few links, each with what it says and where it goes. */
const links = defineModel<NamedLink[]>({ required: true });
defineProps<{ label: string }>();
const change = (at: number, part: Partial<NamedLink>) =>
  (links.value = links.value.map((one, index) => (index === at ? { ...one, ...part } : one)));
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="links">
    <div v-for="(one, at) in links" :key="at" class="one">
      <Input
        :value="one.label"
        :aria-label="`${label} ${at + 1} says`"
        placeholder="says"
        @change="(e: Event) => change(at, { label: typed(e) })"
      /><Input
        :value="one.url"
        :aria-label="`${label} ${at + 1} goes to`"
        placeholder="a web address"
        @change="(e: Event) => change(at, { url: typed(e) })"
      /><Button
        size="small"
        type="text"
        :aria-label="`Remove ${label.toLowerCase()} ${at + 1}`"
        @click="links = links.filter((_, index) => index !== at)"
        >Remove</Button
      >
    </div>
    <Button v-if="links.length < 8" size="small" @click="links = [...links, { label: 'Our website', url: 'https://' }]"
      >Add a link</Button
    >
  </div>
</template>

<style scoped>
.links {
  display: flex;
  flex-direction: column;
  gap: 6px;
  align-items: flex-start;
}
.one {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.6fr) auto;
  gap: 6px;
  width: 100%;
  align-items: center;
}
</style>
