<script setup lang="ts" generic="T extends object">
import Button from "ant-design-vue/es/button";
import Modal from "ant-design-vue/es/modal";
import { computed, ref, watch } from "vue";

import type { Edition } from "./draft";
import { differences, placeWords, valueWords, withTheirs } from "./merging";

/** Two windows have changed the same thing: both states side by side, and at each place the owner says what stays. */
const props = defineProps<{ clash: Edition<T> | null; base: T | null; mine: T | null }>();
const emit = defineEmits<{ later: []; chosen: [body: T] }>();
const found = computed(() => (props.clash ? differences(props.base, props.mine, props.clash.body) : []));
const theirs = ref<boolean[]>([]);
// Where only the other window has changed something, that stays; where both have, the owner says.
watch(found, (now) => (theirs.value = now.map((one) => JSON.stringify(one.mine) === JSON.stringify(at(one.path)))));

function at(path: (string | number)[]): unknown {
  return path.reduce<unknown>(
    (value, part) => (value as Record<string | number, unknown> | undefined)?.[part],
    props.base,
  );
}
const all = (other: boolean) => (theirs.value = found.value.map(() => other));
function choose(): void {
  if (props.mine)
    emit(
      "chosen",
      withTheirs(
        props.mine,
        found.value.filter((_, index) => theirs.value[index]),
      ),
    );
}
</script>

<template>
  <Modal :open="clash !== null" title="Saved in another window since you began" width="720px" @cancel="emit('later')">
    <p>Nothing was overwritten. Say for each place what stays; then it is saved.</p>
    <div class="quick">
      <Button size="small" @click="all(false)">Mine everywhere</Button>
      <Button size="small" @click="all(true)">The newer everywhere</Button>
    </div>
    <fieldset v-for="(one, index) in found" :key="one.path.join('/')">
      <legend>{{ placeWords(one.path) }} <span v-if="one.both" class="both">▲ changed in both</span></legend>
      <label :class="{ on: !theirs[index] }">
        <input v-model="theirs[index]" type="radio" :value="false" :name="`place-${index}`" />
        <span
          ><b class="label">Mine</b><bdi>{{ valueWords(one.mine) }}</bdi></span
        >
      </label>
      <label :class="{ on: theirs[index] }">
        <input v-model="theirs[index]" type="radio" :value="true" :name="`place-${index}`" />
        <span
          ><b class="label">The newer</b><bdi>{{ valueWords(one.theirs) }}</bdi></span
        >
      </label>
    </fieldset>
    <p v-if="!found.length" class="soft">Both say the same.</p>
    <template #footer>
      <Button @click="emit('later')">Not now</Button>
      <Button type="primary" @click="choose">Save what I chose</Button>
    </template>
  </Modal>
</template>

<style scoped>
.quick {
  display: flex;
  gap: 8px;
  margin-bottom: 10px;
}
fieldset {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 4px 10px 10px;
  margin: 0 0 10px;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
legend {
  font-size: 14px;
  font-weight: 600;
  padding: 0 6px;
  margin: 0;
  width: auto;
  border: 0;
}
label {
  display: flex;
  gap: 8px;
  align-items: flex-start;
  padding: 6px 8px;
  border-radius: 6px;
  cursor: pointer;
}
label.on {
  background: var(--act-bg);
}
label span {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
bdi {
  overflow-wrap: anywhere;
}
.both {
  color: var(--warn);
  font-weight: 400;
}
@media (max-width: 560px) {
  fieldset {
    grid-template-columns: 1fr;
  }
}
</style>
