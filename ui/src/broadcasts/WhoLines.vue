<script setup lang="ts">
import { keepPreviousData, useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Menu from "ant-design-vue/es/menu";
import Select from "ant-design-vue/es/select";
import { computed, ref, watch } from "vue";

import { api, data } from "../api/client";
import { useThings } from "../api/things";
import ConditionEdit from "../conditions/ConditionEdit.vue";
import ConditionFields from "../conditions/ConditionFields.vue";
import { allOf, type Condition, GROUPED, KINDS, partsOf } from "../conditions/conditions";
import PickedNames from "../conditions/PickedNames.vue";

/** Who is meant, a sentence a line, with how many are left after each. */
const condition = defineModel<Condition | null>({ required: true });
const props = defineProps<{ course: string | null; readonly?: boolean; past?: boolean }>();
const emit = defineEmits<{ keep: []; audience: [key: string] }>();
const { courses } = useThings();
const open = ref<number | null>(null);
const naming = ref<number | null>(null);
const parts = computed(() => partsOf(condition.value));
const inner = (part: Condition): Condition => ("not" in part ? (part.not as Condition) : part);
const isNot = (part: Condition) => "not" in part;
const isGroup = (part: Condition) => "all" in part || "any" in part;
const complete = (part: Condition): boolean => {
  const one = inner(part);
  if (isGroup(one)) return ((one.all ?? one.any) as Condition[]).every(complete);
  return !["tag", "quiz", "lesson", "module", "course", "offer", "sequence", "letter", "name"].some(
    (name) => one[name] === "",
  );
};
function change(index: number, now: Condition | null): void {
  const next = parts.value
    .map((part, at) => (at === index ? now : part))
    .filter((part): part is Condition => part !== null);
  condition.value = allOf(next);
}
const turn = (index: number, part: Condition, not: boolean) => change(index, not ? { not: inner(part) } : inner(part));
const fresh = (is: string) =>
  KINDS.find((kind) => kind.value === is)?.fresh(props.course ?? courses.value[0]?.key ?? "any") ?? {};
function add(part: Condition): void {
  open.value = parts.value.length;
  condition.value = allOf([...parts.value, part]);
}
// What one click throws away comes back with one click.
const before = ref<{ was: Condition | null; now: string } | null>(null);
const gone = computed(() =>
  before.value && before.value.now === JSON.stringify(condition.value) ? partsOf(before.value.was).length : 0,
);
function back(): void {
  if (before.value) condition.value = before.value.was;
  [before.value, open.value] = [null, null];
}
function only(part: Condition | null): void {
  before.value = parts.value.length ? { was: condition.value, now: JSON.stringify(part) } : null;
  condition.value = part;
  open.value = part && part.is === "student" ? 0 : null;
}
function use(key: string): void {
  only(audiences.value?.find((a) => a.key === key)?.condition ?? null);
  emit("audience", key);
}

// Asked a moment after the last change, and only with lines that are complete.
const asked = ref<{ lines: Condition[]; course: string | null }>({ lines: [], course: null });
let timer = 0;
watch(
  [parts, () => props.course],
  ([now, course]) => {
    window.clearTimeout(timer);
    timer = window.setTimeout(
      () => (asked.value = { lines: now.map((part) => (complete(part) ? part : { all: [] })), course }),
      150,
    );
  },
  { immediate: true, deep: true },
);
const { data: counts, error } = useQuery({
  queryKey: ["audience-counts", asked],
  queryFn: () => data(api.POST("/api/audiences/counts", { body: asked.value })),
  placeholderData: keepPreviousData,
});
const { data: audiences } = useQuery({ queryKey: ["audiences"], queryFn: () => data(api.GET("/api/audiences")) });
const leftBefore = (index: number) => (index === 0 ? counts.value?.everyone : counts.value?.lines[index - 1]?.left);
const said = (index: number, part: Condition) => {
  if (!complete(part)) return "choose what is asked";
  const text = counts.value?.lines.length === parts.value.length ? (counts.value.lines[index]?.words ?? "…") : "…";
  return text.replace(/^not: /, "");
};
const label = (index: number, part: Condition) => (isNot(part) ? "but not" : index === 0 ? "who" : "and");
</script>

<template>
  <div class="who">
    <div class="row">
      <span class="label">everyone</span>
      <div class="text first">
        All students
        <span v-if="!readonly" class="quick">
          <Dropdown :trigger="['click']"
            ><button class="link">Students of one course</button
            ><template #overlay
              ><Menu @click="({ key }) => only({ is: 'enrolled', course: String(key) })"
                ><Menu.Item v-for="c in courses" :key="c.key">{{ c.short }}</Menu.Item></Menu
              ></template
            ></Dropdown
          >
          <button class="link" @click="only({ is: 'student', keys: [] })">A few by name</button>
          <button v-if="parts.length" class="link" @click="only(null)">Everyone</button>
        </span>
      </div>
      <button v-if="!past" class="count link" @click="naming = -1">{{ counts?.everyone ?? "…" }}</button>
    </div>
    <p v-if="gone" class="gone" role="status">
      {{ gone === 1 ? "One condition was" : `${gone} conditions were` }} taken out.
      <button class="link" @click="back">Put {{ gone === 1 ? "it" : "them" }} back</button>
    </p>
    <template v-for="(part, index) in parts" :key="index">
      <div class="row">
        <span class="label">{{ label(index, part) }}</span>
        <button
          class="text"
          :class="{ open: open === index, missing: !complete(part) }"
          :disabled="readonly"
          :aria-expanded="open === index"
          @click="open = open === index ? null : index"
        >
          {{ said(index, part) }}
        </button>
        <button v-if="!past" class="count link" @click="naming = index">
          <span class="was">{{ leftBefore(index) ?? "…" }} →</span> {{ counts?.lines[index]?.left ?? "…"
          }}<span class="visually-hidden"> left: their names</span>
        </button>
      </div>
      <div v-if="open === index && !readonly" class="edit sheet">
        <div class="kind">
          <Select
            v-named="'Holds or not'"
            :value="isNot(part) ? 'not' : 'is'"
            :options="[
              { value: 'is', label: 'the student' },
              { value: 'not', label: 'not: the student' },
            ]"
            style="width: 150px"
            @change="(v) => turn(index, part, v === 'not')"
          />
          <Select
            v-if="!isGroup(inner(part))"
            v-named="'What is asked'"
            :value="inner(part).is as string"
            :options="GROUPED"
            show-search
            option-filter-prop="words"
            class="grow"
            :get-popup-container="(node: HTMLElement) => node.parentElement ?? node"
            @change="(is) => change(index, isNot(part) ? { not: fresh(String(is)) } : fresh(String(is)))"
          />
        </div>
        <ConditionEdit
          v-if="isGroup(inner(part))"
          :model-value="inner(part)"
          inner
          @update:model-value="(now) => change(index, now && isNot(part) ? { not: now } : now)"
        />
        <ConditionFields
          v-else
          :model-value="inner(part)"
          @update:model-value="(now) => change(index, isNot(part) ? { not: now } : now)"
        />
        <div class="acts">
          <Button size="small" type="primary" @click="open = null">Done</Button
          ><Button size="small" type="text" @click="(change(index, null), (open = null))">Remove</Button>
        </div>
      </div>
    </template>
    <p v-if="error" class="blank" role="alert">▲ {{ error.message }}</p>
    <div v-if="!readonly" class="more">
      <Button size="small" @click="add(fresh('enrolled'))">Add a condition</Button>
      <Button size="small" @click="add({ not: fresh('bought') })">Leave some out</Button>
      <Button size="small" @click="add({ any: [fresh('completed'), fresh('tagged')] })">Any of several</Button>
      <Dropdown v-if="audiences?.length" :trigger="['click']"
        ><Button size="small">Use an audience</Button
        ><template #overlay
          ><Menu @click="({ key }) => use(String(key))"
            ><Menu.Item v-for="a in audiences" :key="a.key"
              >{{ a.name }} <span class="label">{{ a.students }}</span></Menu.Item
            ></Menu
          ></template
        ></Dropdown
      >
      <Button v-if="parts.length" size="small" @click="emit('keep')">Keep as audience</Button>
    </div>
    <PickedNames
      v-if="naming !== null"
      :lines="naming < 0 ? [] : asked.lines.slice(0, naming + 1)"
      :course="course"
      @close="naming = null"
    />
  </div>
</template>

<style scoped>
.gone {
  margin: 0 0 0 72px;
  color: var(--warn);
}
.who {
  display: flex;
  flex-direction: column;
  gap: 7px;
}
.row {
  display: grid;
  grid-template-columns: 62px minmax(0, 1fr) 108px;
  gap: 10px;
  align-items: center;
}
.text {
  background: var(--sheet);
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 11px;
  text-align: left;
  font: inherit;
  color: var(--ink);
  min-height: 36px;
  overflow-wrap: anywhere;
}
button.text:not(:disabled) {
  cursor: pointer;
  color: var(--act);
}
button.text:hover:not(:disabled) {
  border-color: var(--act);
}
.text.open {
  border-color: var(--act);
}
.text.missing {
  color: var(--warn);
  border-style: dashed;
}
.first {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
}
.quick {
  display: inline-flex;
  gap: 12px;
  margin-left: auto;
  font-size: 13px;
  flex-wrap: wrap;
}
.count {
  font-family: var(--mark);
  text-align: left;
  text-decoration: none;
  white-space: nowrap;
}
.count:hover {
  text-decoration: underline;
}
.was {
  color: var(--soft);
}
.edit {
  margin-left: 72px;
  padding: 10px 12px;
  display: flex;
  flex-direction: column;
  gap: 8px;
  max-width: 520px;
}
.kind {
  display: flex;
  gap: 8px;
}
.grow {
  flex: 1;
  min-width: 0;
}
.acts {
  display: flex;
  gap: 8px;
}
.more {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  margin-left: 72px;
}
.blank {
  color: var(--warn);
  margin: 0 0 0 72px;
}
@media (max-width: 720px) {
  .row {
    grid-template-columns: 52px minmax(0, 1fr);
  }
  .count {
    grid-column: 2;
  }
  .edit,
  .more {
    margin-left: 0;
  }
  .quick {
    margin-left: 0;
  }
}
</style>
