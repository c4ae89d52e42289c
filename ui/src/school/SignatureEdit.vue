<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { computed } from "vue";

import type { Signature } from "../api/school-file";
import PicturePick from "../parts/PicturePick.vue";
import LinksEdit from "./LinksEdit.vue";

/** Who signs: a name, a few lines, a picture, links; null while all of it is empty. */
const signature = defineModel<Signature | null>({ required: true });
const shown = computed(() => signature.value ?? { name: "", text: "", picture: null, links: [] });
function sign(part: Partial<Signature>): void {
  const now = { ...shown.value, ...part };
  signature.value = now.name || now.text || now.picture || now.links.length ? now : null;
}
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <div class="signature">
    <label
      >Name<Input
        :value="shown.name"
        aria-label="Name in the signature"
        placeholder="Ines"
        @change="(e: Event) => sign({ name: typed(e) })"
    /></label>
    <label
      >A line or two<textarea
        :value="shown.text"
        rows="2"
        aria-label="Text of the signature"
        @input="sign({ text: typed($event) })"
      />
    </label>
    <PicturePick
      :model-value="shown.picture"
      label="signature"
      small
      @update:model-value="(picture) => sign({ picture })"
    />
    <LinksEdit :model-value="shown.links" label="Signature link" @update:model-value="(links) => sign({ links })" />
  </div>
</template>

<style scoped>
.signature {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
textarea {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 11px;
  color: var(--ink);
  background: #fff;
  font: inherit;
  resize: vertical;
}
</style>
