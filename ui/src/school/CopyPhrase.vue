<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { ref } from "vue";

import { api, data } from "../api/client";
import { useAct } from "../parts/act";
import AskDialog from "../parts/AskDialog.vue";
import { useNotice } from "../parts/notice";

/** Encryption of copies: a phrase that is shown once, and asked for once more before anything hangs on it. */
defineProps<{ encrypted: boolean }>();
const notice = useNotice();
const phrase = ref("");
const typed = ref("");
const written = ref(false);
const offer = useAct(() => data(api.POST("/api/school/copies/phrase")), {
  done: (found) => {
    phrase.value = found.phrase;
    typed.value = "";
    written.value = false;
  },
  refreshes: [],
});
const turnOn = useAct(() => data(api.PUT("/api/school/copies/encryption", { body: { phrase: typed.value } })), {
  done: () => {
    phrase.value = typed.value = "";
    notice.done("From the next copy on, they are encrypted. Keep the phrase where the copies are not.");
  },
  refreshes: ["copies"],
});
const turnOff = useAct(() => data(api.DELETE("/api/school/copies/encryption")), { refreshes: ["copies"] });
async function stop(): Promise<void> {
  const yes = await notice.ask(
    "Make copies without encryption?",
    "Whoever gets hold of one can read everything in it then. Copies that are encrypted already still need their phrase.",
    "Without encryption",
    "Leave it",
  );
  if (yes) turnOff.mutate();
}
</script>

<template>
  <section class="sheet box" aria-label="Encryption">
    <h2>Encryption</h2>
    <template v-if="encrypted">
      <p>Copies are encrypted. Only the recovery phrase opens them; it is kept nowhere here.</p>
      <div class="line">
        <Button :loading="offer.isPending.value" @click="offer.mutate()">A new phrase</Button
        ><button class="link" @click="stop">Without encryption</button>
      </div>
    </template>
    <template v-else>
      <p class="soft">
        A copy holds everybody's addresses. Encrypted, it can lie anywhere: twelve words open it, and nothing else does.
      </p>
      <div><Button :loading="offer.isPending.value" @click="offer.mutate()">Encrypt copies</Button></div>
    </template>
    <AskDialog
      :open="phrase !== ''"
      title="Your recovery phrase"
      :ok="written ? 'Encrypt from now on' : 'I have written it down'"
      :ready="!written || typed.trim().split(/\s+/).length === 12"
      :busy="turnOn.isPending.value"
      @ok="written ? turnOn.mutate() : (written = true)"
      @cancel="phrase = ''"
    >
      <template v-if="!written">
        <p>
          Write these words down, in this order, on paper. They are shown this once. Without them, nobody can open your
          copies, you neither.
        </p>
        <ol class="words" data-testid="phrase">
          <li v-for="(word, at) in phrase.split(' ')" :key="at">{{ word }}</li>
        </ol>
      </template>
      <template v-else>
        <label
          >Now from your paper: the twelve words<textarea
            v-model="typed"
            rows="3"
            class="area"
            spellcheck="false"
            autocomplete="off"
          />
        </label>
      </template>
    </AskDialog>
  </section>
</template>

<style scoped>
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.box p {
  margin: 0;
}
.line {
  display: flex;
  gap: 16px;
  align-items: center;
}
.words {
  columns: 2;
  font: 700 16px/1.9 var(--mark);
  background: var(--sheet2);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 10px 10px 10px 42px;
  margin: 12px 0 0;
}
label {
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.area {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 8px 11px;
  font: 15px/1.5 var(--mark);
}
</style>
