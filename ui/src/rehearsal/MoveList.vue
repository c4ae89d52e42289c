<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { ref } from "vue";

import { useThings } from "../api/things";
import ClockInput from "../parts/ClockInput.vue";
import ThingPick from "../parts/ThingPick.vue";
import { type Edited, MOVES } from "./moves";

/** What the student does, day by day. */
const moves = defineModel<Edited[]>({ required: true });
const { options } = useThings();
const title = (move: Edited) =>
  options.value[kind(move)?.object ?? ""]?.find((one) => one.value === move.object)?.label ?? move.object;
const open = ref(-1);
const kind = (move: Edited) => MOVES.find((one) => one.value === move.what);
const change = (index: number, fields: Partial<Edited>) =>
  (moves.value = moves.value.map((one, at) => (at === index ? { ...one, ...fields } : one)));
function add(): void {
  const last = moves.value.at(-1);
  open.value = moves.value.length;
  moves.value = [
    ...moves.value,
    { day: (last?.day ?? 0) + 2, at: last?.at ?? "20:15", what: "lesson_completed", object: "", extra: "" },
  ];
}
</script>

<template>
  <ol class="moves">
    <li v-for="(move, index) in moves" :key="index" class="sheet move">
      <button class="said" :aria-expanded="open === index" @click="open = open === index ? -1 : index">
        <b class="postmark">Day {{ move.day }}</b
        ><span
          >{{ kind(move)?.label ?? move.what }} <template v-if="move.object">“{{ title(move) }}”</template>{{ " "
          }}<template v-if="move.extra">{{ move.extra }}{{ kind(move)?.extra === "answer" ? "" : "%" }}</template> at
          {{ move.at }}</span
        >
      </button>
      <div v-if="open === index" class="edit">
        <span class="line"
          >Day
          <InputNumber
            :value="move.day"
            :min="0"
            :max="700"
            aria-label="Day"
            style="width: 70px"
            @change="(n) => change(index, { day: Number(n ?? 0) })" />
          at <ClockInput :model-value="move.at" label="Time" @update:model-value="(at) => at && change(index, { at })"
        /></span>
        <Select
          v-named="'What they do'"
          :value="move.what"
          :options="MOVES.map(({ value, label }) => ({ value, label }))"
          show-search
          option-filter-prop="label"
          @change="
            (what) =>
              change(index, {
                what: String(what),
                object: kind(move)?.object === MOVES.find((one) => one.value === what)?.object ? move.object : '',
                extra: '',
              })
          "
        />
        <ThingPick
          v-if="kind(move)?.object"
          :model-value="move.object"
          :kind="kind(move)?.object ?? ''"
          :label="`Which ${kind(move)?.object}`"
          :make="['form', 'tag'].includes(kind(move)?.object ?? '')"
          @update:model-value="(object) => change(index, { object: object ?? '' })"
        />
        <label v-if="kind(move)?.extra" class="line"
          >{{ kind(move)?.extra === "answer" ? "with" : kind(move)?.extra === "score" ? "score" : "percent" }}
          <Input
            :value="move.extra"
            :aria-label="kind(move)?.extra"
            style="width: 110px"
            @change="(e: Event) => change(index, { extra: (e.target as HTMLInputElement).value })"
        /></label>
        <Button size="small" type="text" @click="((moves = moves.filter((_, at) => at !== index)), (open = -1))"
          >Remove</Button
        >
      </div>
    </li>
  </ol>
  <Button size="small" @click="add">Add a move</Button>
</template>

<style scoped>
.moves {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.said {
  display: grid;
  grid-template-columns: 58px minmax(0, 1fr);
  width: 100%;
  text-align: left;
  border: 0;
  background: none;
  padding: 6px 10px;
  color: var(--ink);
  font: inherit;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.edit {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 4px 10px 10px;
  align-items: stretch;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
