<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Modal from "ant-design-vue/es/modal";
import { ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "./act";
import { uploaded } from "./pictures";

/** A picture of the school's own: one that is here already, or a new one from a file. */
const picture = defineModel<string | null>({ required: true });
defineProps<{ label: string; small?: boolean }>();
const open = ref(false);
const over = ref(false);
const file = ref<HTMLInputElement>();
const { data: pictures } = useQuery({
  queryKey: ["pictures"],
  queryFn: () => data(api.GET("/api/pictures")),
  enabled: open,
});

const send = useAct(uploaded, { done: (found) => choose(found), refreshes: ["pictures"] });
const away = useAct((key: string) => data(api.DELETE("/api/pictures/{key}", { params: { path: { key } } })), {
  refreshes: ["pictures"],
});
function choose(found: Api["PictureOut"]): void {
  picture.value = found.path;
  open.value = false;
}
function take(files: FileList | null | undefined): void {
  over.value = false;
  const found = files?.[0];
  if (found) send.mutate(found);
  if (file.value) file.value.value = "";
}
</script>

<template>
  <div
    class="pick"
    :class="{ small, over }"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent.stop="take($event.dataTransfer?.files)"
  >
    <img v-if="picture" :src="picture" alt="" />
    <span v-else class="soft none">no picture yet</span>
    <div class="acts">
      <Button
        size="small"
        :loading="send.isPending.value"
        :aria-label="`${picture ? 'Another picture' : 'Choose a picture'}: ${label}`"
        @click="open = true"
        >{{ picture ? "Another picture" : "Choose a picture" }}</Button><Button
        v-if="picture"
        size="small"
        type="text"
        @click="picture = null"
        >Remove</Button
      >
    </div>
    <Modal v-if="open" open title="Pictures" :footer="null" width="640px" @cancel="open = false">
      <div class="from">
        <Button type="primary" :loading="send.isPending.value" @click="file?.click()">Upload a picture</Button
        ><span class="soft"
          >JPEG, PNG, WebP or GIF. It is made at most 1200 pixels wide, and nothing but the picture is kept.</span
        ><input
          ref="file"
          type="file"
          accept="image/png,image/jpeg,image/webp,image/gif"
          class="visually-hidden"
          aria-label="Picture file"
          @change="take(($event.target as HTMLInputElement).files)"
        />
      </div>
      <div class="all">
        <div v-for="one in pictures" :key="one.key" class="one">
          <button :aria-label="`Take ${one.name || 'this picture'}`" @click="choose(one)">
            <img :src="one.path" alt="" loading="lazy" /></button
          ><span class="label"
            >{{ one.name }} · {{ one.width }} × {{ one.height }}
            <button class="link" @click="away.mutate(one.key)">throw away</button></span
          >
        </div>
        <p v-if="pictures && !pictures.length" class="soft">Nothing here yet. Upload the first one.</p>
      </div>
    </Modal>
  </div>
</template>

<style scoped>
.pick {
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
}
.pick.over {
  outline: 2px dashed var(--act);
  outline-offset: 4px;
}
.pick > img {
  max-width: 220px;
  max-height: 120px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: #fff;
}
.pick.small > img {
  max-width: 72px;
  max-height: 56px;
}
.none {
  border: 1px dashed var(--rule);
  border-radius: 6px;
  padding: 10px 14px;
  background: var(--sheet);
}
.acts {
  display: flex;
  gap: 6px;
}
.from {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-bottom: 14px;
}
.all {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(160px, 1fr));
  gap: 12px;
  max-height: 420px;
  overflow: auto;
}
.one {
  display: flex;
  flex-direction: column;
  gap: 3px;
  overflow-wrap: anywhere;
}
.one > button {
  border: 1px solid var(--rule);
  border-radius: 6px;
  background: var(--sheet2);
  padding: 6px;
  cursor: pointer;
  height: 110px;
}
.one > button:hover {
  border-color: var(--act);
}
.one img {
  max-width: 100%;
  max-height: 96px;
}
</style>
