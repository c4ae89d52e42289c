<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import Input from "ant-design-vue/es/input";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { api, data } from "../api/client";
import { useCopy } from "../parts/copying";

/** What the domain of an address says to those who receive its letters, and what to publish. */
const props = defineProps<{ addresses: string[] }>();
const copy = useCopy();
const address = ref(props.addresses[0] ?? "");
const selector = ref("");
const source = ref("");
const asked = ref({ address: address.value, selector: "", source: "" });
const {
  data: found,
  error,
  isFetching,
  refetch,
} = useQuery({
  queryKey: computed(() => ["domain", asked.value]),
  queryFn: () => data(api.POST("/api/school/mail/domain", { body: asked.value })),
  staleTime: Infinity,
  refetchOnWindowFocus: false,
});
function ask(): void {
  const now = { address: address.value, selector: selector.value, source: source.value };
  if (JSON.stringify(now) === JSON.stringify(asked.value)) void refetch();
  else asked.value = now;
}
const NAMES = {
  mx: "Getting mail (MX)",
  spf: "Who may post (SPF)",
  dkim: "Signature (DKIM)",
  dmarc: "What receivers are asked (DMARC)",
  unknown: "",
};
const MARKS = { good: "✓", mend: "▲", unknown: "?" };
const READS = { good: "good", mend: "to be mended", unknown: "not known" };
</script>

<template>
  <section class="sheet box" aria-label="The sender's domain">
    <h2>The sender's domain</h2>
    <p class="soft">
      Receivers look here before they take a letter. What is missing is published where the domain was bought.
    </p>
    <label v-if="addresses.length > 1"
      >Letters from<Select
        v-model:value="address"
        v-named="'Letters from'"
        :options="addresses.map((one) => ({ value: one, label: one }))"
        @change="ask"
    /></label>
    <p v-if="error" class="refused" role="alert">{{ error.message }}</p>
    <ul v-if="found" class="found" :aria-busy="isFetching">
      <li v-for="(one, at) in found.found" :key="at" :class="one.state">
        <span class="mark" :title="READS[one.state]"
          ><span aria-hidden="true">{{ MARKS[one.state] }}</span
          ><span class="visually-hidden">{{ READS[one.state] }}:</span></span
        >
        <div>
          <h3 v-if="NAMES[one.about]">{{ NAMES[one.about] }}</h3>
          <p>{{ one.sentence }}</p>
          <p v-if="one.there" class="there">
            <span class="label">there now</span> <code>{{ one.there }}</code>
          </p>
          <div v-if="one.publish" class="publish">
            <span class="label">to publish, as {{ one.publish.kind }} at</span> <code>{{ one.publish.name }}</code>
            <code class="value">{{ one.publish.value }}</code>
            <Button size="small" @click="copy(one.publish.value)">Copy</Button>
          </div>
        </div>
      </li>
    </ul>
    <details>
      <summary>A letter that has arrived, or the selector of its signature</summary>
      <div class="more">
        <label
          >The source of the test letter, as your mail program shows it<textarea
            v-model="source"
            rows="4"
            class="area"
            spellcheck="false"
          />
        </label>
        <label>Or the selector that your provider names<Input v-model:value="selector" :maxlength="63" /></label>
      </div>
    </details>
    <div><Button :loading="isFetching" @click="ask">Look again</Button></div>
  </section>
</template>

<style scoped>
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
p {
  margin: 0;
  overflow-wrap: anywhere;
}
label {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
.found {
  list-style: none;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.found li {
  display: grid;
  grid-template-columns: 22px minmax(0, 1fr);
}
.mark {
  font-weight: 700;
  color: var(--soft);
}
.good .mark {
  color: var(--well);
}
.mend .mark {
  color: var(--warn-mark);
}
code {
  font-family: var(--mark);
  font-size: 13px;
  overflow-wrap: anywhere;
}
.publish {
  margin-top: 6px;
  padding: 8px 10px;
  background: var(--sheet2);
  border: 1px solid var(--rule2);
  border-radius: 6px;
}
.value {
  display: block;
  margin: 4px 0 6px;
}
.more {
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding-top: 8px;
}
.area {
  border: 1px solid var(--rule);
  border-radius: 6px;
  padding: 6px 11px;
  font-family: var(--mark);
  font-size: 12.5px;
  resize: vertical;
}
.refused {
  color: var(--red);
}
</style>
