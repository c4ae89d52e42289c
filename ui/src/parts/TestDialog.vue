<script setup lang="ts">
import Input from "ant-design-vue/es/input";
import { ref, watch } from "vue";

import { type Api } from "../api/client";
import { useAct } from "./act";
import AskDialog from "./AskDialog.vue";
import MailDialog from "./MailDialog.vue";
import { useNotice } from "./notice";
import { shownAs } from "./shown-as";
import StudentPick from "./StudentPick.vue";

/** A test to oneself and to those who read proofs, as one student would see it. It counts nowhere. */
const props = defineProps<{ address: (body: Api["TestIn"]) => Promise<Api["TestOut"][]> }>();
const emit = defineEmits<{ close: [] }>();
const notice = useNotice();
const readers = ref(localStorage.getItem("proofreaders") ?? "");
watch(readers, (now) => localStorage.setItem("proofreaders", now));
const mail = ref<number | null>(null);
const send = useAct(
  () => props.address({ student: shownAs.value, readers: readers.value.split(/[,;\s]+/).filter(Boolean) }),
  {
    done: (sent) => {
      notice.done(
        `${sent.length === 1 ? "The test is" : `${sent.length} tests are`} in the inbox of ${sent[0]?.to.join(", ")}.`,
      );
      if (sent.length === 1 && sent[0]?.mail) mail.value = sent[0].mail;
      else emit("close");
    },
    refreshes: [],
  },
);
</script>

<template>
  <AskDialog
    v-if="mail === null"
    open
    title="Send me a test"
    ok="Send"
    :busy="send.isPending.value"
    :ready="Boolean(shownAs)"
    @ok="send.mutate()"
    @cancel="emit('close')"
  >
    <label class="line"
      >As this student would get it <StudentPick v-model="shownAs" label="Test as this student"
    /></label>
    <label class="line"
      >Also to (addresses of those who read proofs)<Input
        v-model:value="readers"
        aria-label="Also to"
        placeholder="proof@example.org"
    /></label>
    <p class="soft">“Test” stands before the subject, its links do nothing, and it counts nowhere.</p>
  </AskDialog>
  <MailDialog v-else :mail="mail" title="In your own inbox" @close="emit('close')" />
</template>

<style scoped>
.line {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin-bottom: 10px;
}
</style>
