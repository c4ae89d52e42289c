<script setup lang="ts">
import RadioGroup from "ant-design-vue/es/radio/Group";
import { ref, watch } from "vue";

import type { Api } from "../api/client";
import AskDialog from "../parts/AskDialog.vue";

/** What a save would do to those who are inside, asked before it is done. */
const props = defineProps<{ effect: Api["Effect"] | null; version: number }>();
const emit = defineEmits<{ cancel: []; save: [move: boolean] }>();
const choice = ref("stay");
watch(() => props.effect, () => (choice.value = "stay"));
</script>

<template>
  <AskDialog :open="effect !== null" :title="`Save as version ${version}`" ok="Save" cancel="Go on editing" @cancel="emit('cancel')" @ok="emit('save', choice === 'move')">
    <template v-if="effect">
      <p>{{ effect.inside }} {{ effect.inside === 1 ? "student is" : "students are" }} inside now. What becomes of them?</p>
      <RadioGroup v-model:value="choice" class="choices" :options="[{ value: 'stay', label: 'They finish on the version they are on' }, { value: 'move', label: 'Move them to the new version' }]" />
      <ul v-if="choice === 'move'">
        <li v-for="(one, index) in effect.landings" :key="index"><b class="postmark">{{ one.number }}</b> at “{{ one.here }}” {{ one.sentence }}.</li>
      </ul>
      <p class="soft">No letter that has gone out goes out again.</p>
    </template>
  </AskDialog>
</template>

<style scoped>
.choices { display: flex; flex-direction: column; gap: 4px; } ul { margin: 10px 0; padding-left: 18px; } li { padding: 2px 0; }
</style>
