<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { ref } from "vue";

import { api, data } from "../api/client";
import type { Condition } from "../conditions/conditions";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";

/** Keeps conditions under a name. */
const open = defineModel<boolean>("open", { required: true });
const props = defineProps<{ condition: Condition | null }>();
const notice = useNotice();
const name = ref("");
const keep = useAct(
  () =>
    data(api.POST("/api/audiences", { body: { name: name.value.trim(), condition: props.condition ?? { all: [] } } })),
  {
    done: (kept) => {
      open.value = false;
      name.value = "";
      notice.done(`Kept as “${kept.name}”.`);
    },
    refreshes: ["audiences"],
  },
);
</script>

<template>
  <AskDialog
    v-model:open="open"
    title="Keep as audience"
    ok="Keep"
    :busy="keep.isPending.value"
    :ready="Boolean(name.trim())"
    @ok="keep.mutate()"
    ><label
      >What do you call them?
      <Input v-model:value="name" aria-label="Name of the audience" placeholder="In First Hive, not finished" /></label
  ></AskDialog>
</template>
