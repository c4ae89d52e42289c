<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Checkbox from "ant-design-vue/es/checkbox";
import Input from "ant-design-vue/es/input";
import type { School } from "../api/school-file";
import SignatureEdit from "./SignatureEdit.vue";

/** What all letters share: the look, the signature, what is noted of them, and where visits say they come from. */
const school = defineModel<School>({ required: true });
const set = (part: Partial<School>) => (school.value = { ...school.value, ...part });
const typed = (event: Event) => (event.target as HTMLInputElement).value;
</script>

<template>
  <section id="signature" class="sheet box">
    <h2>Signature</h2>
    <p class="soft">Stands wherever a letter has a signature block. Changed here, changed in all of them.</p>
    <SignatureEdit :model-value="school.signature" @update:model-value="(signature) => set({ signature })" />
    <div>
      <RouterLink to="/school/look"><Button>Look of the letters</Button></RouterLink>
    </div>
  </section>
  <section class="sheet box">
    <h2>What is noted of letters</h2>
    <Checkbox
      :checked="school.tracking.links"
      @change="(e) => set({ tracking: { ...school.tracking, links: e.target.checked } })"
      >Which links are opened</Checkbox
    >
    <p class="soft">
      Links go by way of this school's address and on at once. Mail scanners are told apart as far as that goes. Each
      student can switch it off.
    </p>
    <Checkbox
      :checked="school.tracking.openings"
      @change="(e) => set({ tracking: { ...school.tracking, openings: e.target.checked } })"
      >Whether letters are opened</Checkbox
    >
    <p class="soft">
      By a picture of one point. It is worth little: many mail programs load pictures by themselves, others never do. In
      many countries it needs the reader's consent; say in your privacy notice that you do it, or leave it off.
    </p>
    <Checkbox
      :checked="school.campaign !== null"
      @change="
        (e) => set({ campaign: e.target.checked ? { source: 'letters', medium: 'email', campaign: null } : null })
      "
      >Tell my website's own statistics where visits come from</Checkbox
    >
    <template v-if="school.campaign"
      ><label
        >utm_source<Input
          :value="school.campaign.source"
          aria-label="utm_source"
          @change="(e: Event) => set({ campaign: { ...school.campaign!, source: typed(e) || 'letters' } })" /></label
      ><label
        >utm_medium<Input
          :value="school.campaign.medium"
          aria-label="utm_medium"
          @change="(e: Event) => set({ campaign: { ...school.campaign!, medium: typed(e) } })" /></label
      ><label
        >utm_campaign<Input
          :value="school.campaign.campaign ?? ''"
          aria-label="utm_campaign"
          placeholder="the letter's own key"
          @change="(e: Event) => set({ campaign: { ...school.campaign!, campaign: typed(e) || null } })" /></label
    ></template>
  </section>
</template>

<style scoped>
.box {
  padding: 14px 18px 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
label:not(.ant-checkbox-wrapper) {
  display: flex;
  flex-direction: column;
  gap: 4px;
  color: var(--soft);
}
p {
  margin: 0;
}
</style>
