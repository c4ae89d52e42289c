<script setup lang="ts">
import Pagination from "ant-design-vue/es/pagination";

/** The pages of a list of fifty at a time; nothing where all stand on one. */
defineProps<{ total: number; large?: boolean }>();
const page = defineModel<number>({ required: true });
const PAGE = 50;
</script>

<template>
  <Pagination
    v-if="total > PAGE"
    v-model:current="page"
    :total="total"
    :page-size="PAGE"
    :show-size-changer="false"
    :size="large ? 'default' : 'small'"
  />
</template>
