<script setup lang="ts">
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import { useThings } from "../api/things";
import ThingPick from "../parts/ThingPick.vue";
import { asAt, type At, fieldsOf, HAPPENED, NAMED, OPTIONAL, readAt, type Rule, type Test, type Value } from "./file";
import PlaceChip from "./PlaceChip.vue";

/** One rule as a sentence: when which messages come, what has happened, and what their words stand for. */
const rule = defineModel<Rule>({ required: true });
const props = defineProps<{ seen: Record<string, string[]>; number: number; several: boolean; current: boolean }>();
const emit = defineEmits<{ remove: []; edit: [] }>();

const change = (now: Partial<Rule>) => (rule.value = { ...rule.value, ...now });
const setEvent = (field: string, value: Value | undefined) => {
  const event = { ...rule.value.event };
  if (value === undefined) delete event[field];
  else event[field] = value;
  change({ event });
};
function setType(type: string): void {
  const own = Object.entries(rule.value.event).filter(([field]) => field in fieldsOf(type));
  change({ event: { ...Object.fromEntries(own), type } });
}
const fields = computed(() => Object.entries(fieldsOf(rule.value.event.type)));
const valueOf = (field: string) => rule.value.event[field] as Value | undefined;
const pointed = (field: string) => valueOf(field) as string | At;
const place = (field: string) => readAt(valueOf(field));
const fixed = (field: string) => {
  const value = valueOf(field);
  return value && typeof value === "object" && "is" in value ? value.is : undefined;
};
const always = (field: string, key: string | undefined) => setEvent(field, key ? { is: key } : undefined);

type How = "is" | "not" | "there" | "absent";
const how = (test: Test): How => (test.is ? "is" : test.not ? "not" : test.exists ? "there" : "absent");
const HOW = [
  { value: "is", label: "is" },
  { value: "not", label: "is not" },
  { value: "there", label: "is there" },
  { value: "absent", label: "is not there" },
];
function setTest(index: number, test: Test | null): void {
  const when = [...rule.value.when];
  if (test) when[index] = test;
  else when.splice(index, 1);
  change({ when });
}
function setHow(index: number, test: Test, now: How): void {
  const texts = test.is ?? test.not ?? [];
  const place = test.place;
  setTest(
    index,
    now === "is" ? { place, is: texts } : now === "not" ? { place, not: texts } : { place, exists: now === "there" },
  );
}
/** The words that came for a field and what each stands for; those seen first, then what is in the map besides. */
function meaningsOf(field: string): [string, string][] {
  const map = asAt(valueOf(field)).map ?? {};
  const texts = [...new Set([...(props.seen[place(field) ?? ""] ?? []), ...Object.keys(map)])];
  return texts.map((text) => [text, map[text] ?? ""]);
}
function mean(field: string, text: string, key: string): void {
  const at: At = asAt(valueOf(field));
  setEvent(field, { ...at, map: { ...at.map, [text]: key } });
}
const { options } = useThings();
const nothingYet = (field: string) => NAMED.includes(field) && options.value[field]?.length === 0;
const needed = (field: string) => !OPTIONAL.includes(field) && valueOf(field) === undefined;
</script>

<template>
  <section class="rule" :class="{ current: current && several }">
    <header v-if="several">
      <button class="link label" :aria-pressed="current" @click="emit('edit')">
        Rule {{ number }}{{ current ? ": what you click goes here" : "" }}
      </button>
      <button class="link label" @click="emit('remove')">Remove</button>
    </header>
    <div v-for="(test, index) in rule.when" :key="test.place" class="row">
      <span>{{ index ? "and" : "When" }}</span>
      <PlaceChip :value="test.place" label="the condition" fixed @drop="setTest(index, null)" />
      <Select
        v-named="`How ${test.place} is asked`"
        :value="how(test)"
        :options="HOW"
        size="small"
        @change="(now) => setHow(index, test, now as How)"
      />
      <Select
        v-if="test.is || test.not"
        v-named="`Which ${test.place}`"
        mode="tags"
        size="small"
        class="texts"
        :value="test.is ?? test.not"
        :options="(seen[test.place] ?? []).map((text) => ({ value: text, label: text }))"
        @change="
          (now) => setTest(index, test.is ? { ...test, is: now as string[] } : { ...test, not: now as string[] })
        "
      />
    </div>
    <p v-if="!rule.when.length" class="label">For every message. Click what it is about to make it only for some.</p>
    <div class="row">
      <span>{{ rule.when.length ? "the student" : "The student" }}</span>
      <Select
        v-named="'What has happened'"
        class="happened"
        :value="rule.event.type"
        :options="HAPPENED.map((one) => ({ value: one.type, label: one.says }))"
        @change="(type) => setType(String(type))"
      />
    </div>
    <div v-for="[field, says] in fields" :key="field" class="field">
      <div class="row">
        <span :class="{ needed: needed(field) }">{{ says }}:</span>
        <PlaceChip
          v-if="place(field) !== undefined"
          :value="pointed(field)"
          :label="says"
          @change="(now) => setEvent(field, now)"
          @drop="setEvent(field, undefined)"
        />
        <template v-else-if="NAMED.includes(field)">
          <span v-if="fixed(field) === undefined" class="label">click it in the message, or it is always</span>
          <span v-else>always</span>
          <ThingPick
            class="always"
            :model-value="fixed(field)"
            :kind="field"
            :label="`Always ${says}`"
            @update:model-value="(key) => always(field, key)"
          />
          <button v-if="fixed(field) !== undefined" class="link label" @click="setEvent(field, undefined)">
            not always
          </button>
        </template>
        <span v-else class="label">{{ needed(field) ? "click it in the message" : "click it, if it is there" }}</span>
      </div>
      <table v-if="NAMED.includes(field) && place(field) !== undefined" class="map">
        <tbody>
          <tr v-for="[text, key] in meaningsOf(field)" :key="text">
            <td class="postmark">{{ text }}</td>
            <td class="label">is</td>
            <td>
              <ThingPick
                :model-value="key || undefined"
                :kind="field"
                :label="`What ${text} is`"
                @update:model-value="(now) => now && mean(field, text, now)"
              />
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="nothingYet(field)" class="label">
        The school has none yet. <RouterLink to="/courses">Make it first</RouterLink>; what you have pointed at waits
        here.
      </p>
    </div>
  </section>
</template>

<style scoped>
.rule {
  border: 1px solid var(--rule2);
  border-radius: 6px;
  padding: 10px 12px;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
.rule.current {
  border-color: var(--act);
}
header {
  display: flex;
  justify-content: space-between;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 8px;
  align-items: center;
}
.texts {
  min-width: 150px;
  flex: 1;
}
.happened {
  min-width: 210px;
}
.always {
  max-width: 260px;
}
.needed {
  color: var(--warn);
  font-weight: 600;
}
p {
  margin: 0;
}
.map {
  margin: 6px 0 0 12px;
}
.map td {
  padding: 3px 10px 3px 0;
  overflow-wrap: anywhere;
}
</style>
