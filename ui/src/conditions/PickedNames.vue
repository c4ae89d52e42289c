<script setup lang="ts">
import { api, data } from "../api/client";
import { counted } from "../parts/counted";
import NamesDialog from "../parts/NamesDialog.vue";
import type { Condition } from "./conditions";

/** The names behind a number: those whom all these lines pick. */
const props = defineProps<{ lines: Condition[]; course: string | null }>();
const emit = defineEmits<{ close: [] }>();
</script>

<template>
  <NamesDialog
    :of="['audience-names', lines, course]"
    :find="
      (asked) =>
        data(api.POST('/api/audiences/names', { body: { lines: props.lines, course: props.course, ...asked } }))
    "
    :title="(total) => (total === undefined ? 'Students' : counted(total, 'student'))"
    @close="emit('close')"
  />
</template>
