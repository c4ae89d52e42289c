<script setup lang="ts">
import RadioGroup from "ant-design-vue/es/radio/Group";
import { computed, ref, watch } from "vue";

import type { Api } from "../api/client";
import AskDialog from "../parts/AskDialog.vue";

/** What a save would do to those who are inside and to those who come, asked before it is done. */
const props = defineProps<{ effect: Api["Effect"] | null; version: number; running: boolean }>();
const emit = defineEmits<{ cancel: []; save: [move: boolean] }>();
const choice = ref("stay");
watch(
  () => props.effect,
  () => (choice.value = "stay"),
);
const next = computed(() => props.effect?.next ?? []);
const people = (n: number) => `${n} ${n === 1 ? "student is" : "students are"}`;
</script>

<template>
  <AskDialog
    :open="effect !== null"
    :title="`Save as version ${version}`"
    ok="Save"
    cancel="Go on editing"
    @cancel="emit('cancel')"
    @ok="emit('save', choice === 'move')"
  >
    <div v-if="effect" data-testid="save-slip">
      <p>{{ people(effect.inside) }} inside now. What becomes of them?</p>
      <RadioGroup
        v-model:value="choice"
        class="choices"
        :options="[
          { value: 'stay', label: 'They finish on the version they are on' },
          { value: 'move', label: 'Move them to the new version' },
        ]"
      />
      <ul v-if="choice === 'move'">
        <li v-for="(one, index) in effect.landings" :key="index">
          <b class="postmark">{{ one.number }}</b> at “{{ one.here }}” {{ one.sentence }}.
        </li>
      </ul>
      <p v-if="next.length">
        {{ choice === "move" ? "The change reaches first" : "Still by the old version, next" }}:
        <template v-for="(one, index) in next" :key="one.key + one.at"
          >{{ index ? "; " : "" }}<bdi>{{ one.name }}</bdi> at “{{ one.here }}”, {{ one.at }}</template
        >.
      </p>
      <p>
        {{
          running
            ? `By version ${version} from now on: whoever has ${effect.starts}.`
            : "It does not run, so nobody new comes in."
        }}
      </p>
      <p class="soft">No letter that has gone out goes out again. For a minute it can be taken back.</p>
    </div>
  </AskDialog>
</template>

<style scoped>
.choices {
  display: flex;
  flex-direction: column;
  gap: 4px;
  margin-bottom: 8px;
}
ul {
  margin: 10px 0;
  padding-left: 18px;
}
li {
  padding: 2px 0;
}
</style>
