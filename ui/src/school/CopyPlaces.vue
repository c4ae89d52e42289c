<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import { computed, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";

/** Where copies are put as well: a copy on the same disk does not outlive the disk. */
const props = defineProps<{ copies: Api["CopiesOut"] }>();
const notice = useNotice();
const second = ref("");
const withStore = ref(false);
const store = ref({ bucket: "", endpoint: "", region: "", key: "", secret: "" });
const written = computed(() => JSON.stringify([second.value, withStore.value, store.value]));
const asKept = ref("");
watch(
  () => props.copies,
  (now) => {
    if (asKept.value && asKept.value !== written.value) return;
    second.value = now.second ?? "";
    withStore.value = now.store !== null;
    store.value = {
      bucket: now.store?.bucket ?? "",
      endpoint: now.store?.endpoint ?? "",
      region: now.store?.region ?? "",
      key: now.store?.key ?? "",
      secret: "",
    };
    asKept.value = written.value;
  },
  { immediate: true },
);
const { mutate: keep, isPending: keeping } = useAct(
  () =>
    data(
      api.PUT("/api/school/copies/places", {
        body: {
          second: second.value.trim() || null,
          store: withStore.value
            ? { ...store.value, endpoint: store.value.endpoint.trim() || null, secret: store.value.secret || null }
            : null,
        },
      }),
    ),
  {
    done: () => {
      store.value.secret = "";
      asKept.value = written.value;
      notice.done("Kept. It holds from the next copy on.");
    },
    refreshes: ["copies"],
  },
);
</script>

<template>
  <section class="sheet box" aria-label="Other places">
    <h2>Other places</h2>
    <p class="soft">A copy on the same disk does not outlive the disk. Each copy is put there as well:</p>
    <label>A second folder, such as a disk of its own<Input v-model:value="second" placeholder="/mnt/copies" /></label>
    <Checkbox v-model:checked="withStore">A store of objects that speaks S3</Checkbox>
    <div v-if="withStore" class="store">
      <label>Bucket<Input v-model:value="store.bucket" spellcheck="false" /></label>
      <label>Address of the store<Input v-model:value="store.endpoint" placeholder="https://…" /></label>
      <label>Region<Input v-model:value="store.region" /></label>
      <label>Key<Input v-model:value="store.key" autocomplete="off" /></label>
      <label
        >Secret<Input
          v-model:value="store.secret"
          type="password"
          autocomplete="new-password"
          :placeholder="copies.store?.has_secret ? 'kept; write here to replace it' : ''"
      /></label>
    </div>
    <div>
      <Button :disabled="written === asKept" :loading="keeping" @click="keep()">Save</Button>
    </div>
  </section>
</template>

<style scoped>
.box,
.store {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.box {
  padding: 14px 18px 18px;
}
p {
  margin: 0;
}
label:not(.ant-checkbox-wrapper) {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
</style>
