<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { ref } from "vue";

import { useNotice } from "../parts/notice";
import type { ConnectionFile } from "./file";

/** For those who ask for it: the connection file itself, as JSON, in and out. */
const file = defineModel<ConnectionFile>({ required: true });
defineProps<{ address: string }>();
const notice = useNotice();
const chooser = ref<HTMLInputElement>();
const text = ref<string | null>(null);
function use(from: string): void {
  try {
    const read = JSON.parse(from) as ConnectionFile;
    if (read === null || typeof read !== "object" || Array.isArray(read)) throw new Error("it is no object");
    if (read.format !== "patient-courier.connection") throw new Error("it is no connection file");
    file.value = { ...file.value, ...read, key: file.value.key };
    text.value = null;
    notice.done("Taken over, and not saved yet. Look at what the messages would become.");
  } catch (error) {
    notice.refused(`This can't be used: ${error instanceof Error ? error.message : String(error)}.`);
  }
}
async function bring(event: Event): Promise<void> {
  const chosen = (event.target as HTMLInputElement).files?.[0];
  if (chosen) use(await chosen.text());
  if (chooser.value) chooser.value.value = "";
}
</script>

<template>
  <details>
    <summary class="label">The connection file, for those who write programs</summary>
    <p class="soft">
      Plain JSON with a published schema (<code>patient-courier schema connection</code>). Secrets are never in it.
    </p>
    <div class="acts">
      <a :href="address" download><Button size="small">Download</Button></a>
      <Button size="small" @click="chooser?.click()">Bring one in</Button
      ><input
        ref="chooser"
        type="file"
        accept=".json,application/json"
        class="visually-hidden"
        aria-label="Connection file"
        @change="bring"
      />
      <Button v-if="text === null" size="small" @click="text = JSON.stringify(file, null, 1)">Write in it here</Button>
      <Button v-else size="small" type="primary" @click="use(text)">Use this</Button>
    </div>
    <textarea
      v-if="text !== null"
      v-model="text"
      rows="16"
      class="area postmark"
      aria-label="Connection file as JSON"
    />
  </details>
</template>

<style scoped>
summary {
  cursor: pointer;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 6px 0;
}
.area {
  width: 100%;
  font-size: 13px;
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 8px;
}
</style>
