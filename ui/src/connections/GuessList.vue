<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { computed } from "vue";

import { answered, confirmed, type ConnectionFile, type Guess, GUESS_SAYS, guessPlace, placeWords } from "./file";

/** Likely places, by names and shapes: guesses until the owner has said yes. */
const file = defineModel<ConnectionFile>({ required: true });
const props = defineProps<{ guesses: Guess[] }>();
const open = computed(() => props.guesses.filter((one) => !answered(file.value, one)));
const yes = (one: Guess) => (file.value = confirmed(file.value, one));
/** One after the other: where a thing stands changes once the lines are known. */
const yesToAll = () => (file.value = open.value.reduce(confirmed, file.value));
</script>

<template>
  <section v-if="open.length" class="guesses" aria-label="Guesses">
    <header>
      <span>These look likely. They are guesses, so look before you say yes.</span>
      <Button size="small" @click="yesToAll">Yes to all</Button>
    </header>
    <ul>
      <li v-for="one in open" :key="one.what">
        <span>
          <span class="guess">{{ placeWords(guessPlace(file, one)) }}</span>
          <span v-if="one.text" class="postmark text">{{ one.text }}</span>
          <span class="soft">{{ GUESS_SAYS[one.what] }}?</span>
        </span>
        <button class="link" :aria-label="`Yes, ${GUESS_SAYS[one.what]}`" @click="yes(one)">Yes</button>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.guesses {
  border: 1px dashed var(--warn-mark);
  border-radius: 6px;
  padding: 8px 12px;
  background: var(--warn-bg);
}
header {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  align-items: center;
}
ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 2px 14px;
  align-items: baseline;
  padding: 2px 0;
}
li span span {
  margin-right: 8px;
}
.guess {
  border-bottom: 1px dotted var(--warn);
}
.text {
  overflow-wrap: anywhere;
}
</style>
