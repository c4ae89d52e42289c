<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from "vue";

/** While figures are reckoned for the first time: said only when it takes long enough to be noticed. */
const shown = ref(false);
const seconds = ref(0);
let timer = 0;
onMounted(() => {
  timer = window.setInterval(() => {
    seconds.value += 1;
    shown.value = true;
  }, 1000);
});
onBeforeUnmount(() => window.clearInterval(timer));
</script>

<template>
  <div v-if="shown" role="status" class="counted">
    <progress aria-label="Being counted" />
    <p class="soft">
      Counted for the first time, this takes some seconds in a large school ({{ seconds }} so far). After that it is
      there at once.
    </p>
  </div>
</template>

<style scoped>
.counted {
  padding: 16px 0;
}
progress {
  width: min(420px, 100%);
  accent-color: var(--act);
}
p {
  margin: 6px 0 0;
}
</style>
