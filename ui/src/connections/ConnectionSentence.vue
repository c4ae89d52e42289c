<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import { computed } from "vue";

import { ABOUT, asAt, type At, type ConnectionFile, dropped, pathWords, readAt, type Value } from "./file";
import PlaceChip from "./PlaceChip.vue";
import RuleEdit from "./RuleEdit.vue";

/** What has been pointed at, as sentences: who, when, which one, and the rules that say what has happened. */
const file = defineModel<ConnectionFile>({ required: true });
const rule = defineModel<number>("rule", { required: true });
defineProps<{ seen: Record<string, string[]> }>();

const drop = (part: string, place: string) => (file.value = dropped(file.value, part, place, rule.value));
const facts = computed(() => Object.entries(file.value.student.fields ?? {}));
const about = computed(() =>
  Object.entries(ABOUT).filter(([name]) => name === "email" || readAt(file.value.student[name] as Value) !== undefined),
);
const setStudent = (name: string, value: string | At) =>
  (file.value = { ...file.value, student: { ...file.value.student, [name]: value } });
const setFact = (name: string, value: string | At) =>
  (file.value = {
    ...file.value,
    student: { ...file.value.student, fields: { ...file.value.student.fields, [name]: value } },
  });
function add(): void {
  const type = file.value.rules.length ? "refunded" : "purchased";
  const last = file.value.rules.at(-1)?.event.offer;
  // A refund names its offer in the same words as the purchase.
  const event = { type, ...(last && type === "refunded" ? { offer: JSON.parse(JSON.stringify(last)) as At } : {}) };
  file.value = { ...file.value, rules: [...file.value.rules, { when: [], event }] };
  rule.value = file.value.rules.length - 1;
}
function remove(index: number): void {
  file.value = { ...file.value, rules: file.value.rules.filter((_, place) => place !== index) };
  rule.value = Math.max(0, Math.min(rule.value, file.value.rules.length - 1));
}
</script>

<template>
  <div class="sentences">
    <dl>
      <template v-for="[name, says] in about" :key="name">
        <dt :class="{ needed: name === 'email' && !file.student.email }">{{ says }}</dt>
        <dd>
          <PlaceChip
            v-if="readAt(file.student[name] as Value) !== undefined"
            :value="asAt(file.student[name] as Value)"
            :label="says"
            @change="(now) => setStudent(name, now)"
            @drop="drop(`student.${name}`, '')"
          /><span v-else class="label">click it in the message</span>
        </dd>
      </template>
      <template v-for="[name, value] in facts" :key="name">
        <dt>{{ name }}</dt>
        <dd>
          <PlaceChip
            :value="asAt(value)"
            :label="name"
            @change="(now) => setFact(name, now)"
            @drop="drop(`fact.${name}`, '')"
          />
        </dd>
      </template>
      <dt>when it happened</dt>
      <dd>
        <PlaceChip v-if="file.at" :value="file.at.place" label="when it happened" fixed @drop="drop('at', '')" /><span
          v-else
          class="label"
          >when the message comes</span
        >
      </dd>
      <dt>told from others by</dt>
      <dd>
        <template v-if="file.id"
          ><PlaceChip
            v-for="place in file.id"
            :key="place"
            :value="place"
            label="what tells it from others"
            fixed
            @drop="drop('id', place)"
        /></template>
        <span v-else class="label">its whole text, so the same thing said in other words counts twice</span>
      </dd>
      <template v-if="file.each">
        <dt>several in one message</dt>
        <dd>
          <span class="chip">{{ pathWords(file.each) }}</span><button class="link label" @click="drop('each', '')">
            not each</button
          ><span class="label">each line is one thing that happened</span>
        </dd>
      </template>
    </dl>
    <RuleEdit
      v-for="(one, index) in file.rules"
      :key="index"
      :model-value="one"
      :seen="seen"
      :number="index + 1"
      :several="file.rules.length > 1"
      :current="rule === index"
      @update:model-value="(now) => (file = { ...file, rules: file.rules.map((x, at) => (at === index ? now : x)) })"
      @edit="rule = index"
      @remove="remove(index)"
    />
    <div>
      <Button :type="file.rules.length ? 'default' : 'primary'" size="small" @click="add">{{
        file.rules.length ? "Something else can happen, too" : "Say what has happened"
      }}</Button>
    </div>
  </div>
</template>

<style scoped>
.sentences {
  display: flex;
  flex-direction: column;
  gap: 12px;
}
dl {
  display: grid;
  grid-template-columns: minmax(120px, auto) minmax(0, 1fr);
  gap: 4px 14px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: baseline;
}
.needed {
  color: var(--warn);
  font-weight: 600;
}
</style>
