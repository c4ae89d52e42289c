<script setup lang="ts">
import type { Api } from "../api/client";
import NamesDialog from "../parts/NamesDialog.vue";
import { WHAT } from "./words";

/** The students behind a number, each with their letter; `of` names what is asked about, `find` asks for a page of them. */
const props = defineProps<{
  of: unknown[];
  outcome: string;
  reason: string;
  find: (asked: { q: string; page: number; reason: string }) => Promise<Api["OutcomePage"]>;
}>();
const emit = defineEmits<{ close: [] }>();
const find = (asked: { q: string; page: number }) => props.find({ ...asked, reason: props.reason });
</script>

<template>
  <NamesDialog
    :of="['outcome', ...of, outcome, reason]"
    :find="find"
    :title="(total) => `${WHAT[outcome]}: ${total ?? '…'}`"
    @close="emit('close')"
    ><template #beside="{ one }"
      >{{ " " }}<RouterLink :to="`/dispatch/${one.delivery}`" class="letter">their letter</RouterLink></template
    ></NamesDialog
  >
</template>

<style scoped>
.letter {
  float: right;
  font-size: 13px;
}
</style>
