<script setup lang="ts">
import serif from "@fontsource-variable/literata/files/literata-latin-wght-normal.woff2?url";
import { computed, ref } from "vue";

/** A letter as it is read. Links lead nowhere, unless it `opens` them in another window as a mail program does. */
const props = defineProps<{ html: string; title: string; narrow?: boolean; opens?: boolean }>();
// Mail programs use what they have; here the letter's own typeface is at hand.
const FACE = `<style>@font-face{font-family:Literata;src:url("${serif}") format("woff2");font-weight:200 900}</style></head>`;
const shown = computed(() => props.html.replace("</head>", `${props.opens ? '<base target="_blank">' : ""}${FACE}`));
const frame = ref<HTMLIFrameElement>();
const height = ref(420);

/** The letter stands in its own document; its height is taken over so that nothing scrolls twice. */
function fit(): void {
  const inner = frame.value?.contentDocument?.documentElement;
  if (inner) height.value = Math.max(160, inner.scrollHeight);
}
</script>

<template>
  <div class="paper" :class="{ narrow }">
    <iframe
      ref="frame"
      :srcdoc="shown"
      :title="title"
      :sandbox="opens ? 'allow-same-origin allow-popups allow-popups-to-escape-sandbox' : 'allow-same-origin'"
      :style="{ height: height + 'px' }"
      @load="fit"
    />
  </div>
</template>

<style scoped>
.paper {
  border: 1px solid var(--rule);
  border-radius: 6px;
  overflow: hidden;
  background: var(--ground);
}
.paper.narrow {
  max-width: 375px;
  margin: 0 auto;
}
iframe {
  width: 100%;
  border: 0;
  display: block;
}
</style>
