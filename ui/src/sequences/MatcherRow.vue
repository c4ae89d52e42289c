<script setup lang="ts">
import CheckboxGroup from "ant-design-vue/es/checkbox/Group";
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed } from "vue";

import type { Matcher } from "../api/school-file";
import DurationInput from "../parts/DurationInput.vue";
import ThingPick from "../parts/ThingPick.vue";
import { GROUPED, kindOf, turned, VIA } from "./matchers";

/** One event: what happens, and to which course, lesson, quiz … */
const matcher = defineModel<Matcher>({ required: true });
const props = defineProps<{ inside?: boolean }>();
const kind = computed(() => kindOf(matcher.value.on));
// A lesson that is named brings its course; the course is only asked for when any lesson will do.
const asked = computed(() =>
  (kind.value?.selectors ?? []).filter(
    (s) =>
      !(
        s.name === "course" && ["lesson", "quiz", "module"].some((n) => matcher.value[n] && matcher.value[n] !== "this")
      ),
  ),
);

function set(name: string, value: unknown): void {
  const { [name]: _, ...rest } = matcher.value;
  matcher.value = (
    value === "" || value === null || value === undefined ? rest : { ...rest, [name]: value }
  ) as Matcher;
}
const via = computed(() => (matcher.value.via as string[] | undefined) ?? ["purchase", "manual", "import"]);
const percent = computed(() => matcher.value.percent as number | undefined);
const text = (name: string) => matcher.value[name] as string | null | undefined;
const also = (selector: { any?: string; this?: boolean; kind: string }) => [
  ...(selector.any ? [{ value: "*", label: selector.any }] : []),
  ...(selector.this && props.inside ? [{ value: "this", label: `this ${selector.kind}` }] : []),
];
</script>

<template>
  <div class="matcher">
    <Select
      v-named="'What happens'"
      :value="matcher.on"
      :options="GROUPED"
      show-search
      option-filter-prop="label"
      class="wide"
      :get-popup-container="(node: HTMLElement) => node.parentElement ?? node"
      @change="(on) => (matcher = turned(matcher, String(on)))"
    />
    <template v-for="selector in asked" :key="selector.name">
      <label v-if="selector.kind === 'duration'" class="line"
        ><span>{{ selector.name === "for" ? "for" : "ahead by" }}</span
        ><DurationInput
          :model-value="text(selector.name) ?? null"
          :least="selector.needed ? 1 : 0"
          :label="selector.name === 'for' ? 'For how long' : 'How long ahead'"
          @update:model-value="(span) => set(selector.name, span)"
      /></label>
      <label v-else-if="selector.kind === 'percent'" class="line"
        ><span>at least</span
        ><InputNumber
          :value="percent"
          :min="1"
          :max="100"
          aria-label="Percent watched"
          @change="(n) => set('percent', n)"
        />
        %</label
      >
      <ThingPick
        v-else
        :model-value="text(selector.name) ?? '*'"
        :kind="selector.kind"
        :label="`Which ${selector.name}`"
        :also="also(selector)"
        :make="['tag', 'form', 'answer'].includes(selector.kind)"
        @update:model-value="(value) => set(selector.name, value === '*' ? null : value)"
      />
    </template>
    <CheckboxGroup
      v-if="matcher.on === 'enrolled'"
      :value="via"
      :options="VIA"
      @change="
        (via) =>
          via.length &&
          set(
            'via',
            VIA.map((v) => v.value).filter((v) => via.includes(v)),
          )
      "
    />
  </div>
</template>

<style scoped>
.matcher {
  display: flex;
  flex-direction: column;
  gap: 7px;
  width: 100%;
  align-items: stretch;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
}
.wide {
  width: 100%;
}
</style>
