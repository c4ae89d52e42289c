<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";

import { api, type Api, data } from "../api/client";
import { useAct } from "../parts/act";
import { useNotice } from "../parts/notice";

/** The keys that credentials of certificates are signed with: which is in use, a new one, one that is trusted no more. */
const client = useQueryClient();
const notice = useNotice();
const { data: keys } = useQuery({ queryKey: ["signing-keys"], queryFn: () => data(api.GET("/api/signing-keys")) });
const show = (now: Api["SigningKeys"]) => client.setQueryData(["signing-keys"], now);
const make = useAct(() => data(api.POST("/api/signing-keys")), {
  done: (now) => {
    show(now);
    notice.done("A new key signs from now on. What the old one signed stays good.");
  },
  refreshes: [],
});
const distrust = useAct(
  (number: number) => data(api.POST("/api/signing-keys/{number}/distrust", { params: { path: { number } } })),
  {
    done: (now) => {
      show(now);
      notice.done(
        "Nobody is to trust it any more. Certificates stand; credentials fetched before have to be fetched again.",
      );
    },
    refreshes: [],
  },
);
async function ask(number: number): Promise<void> {
  if (
    await notice.ask(
      "Has this key fallen into other hands?",
      "Credentials it signed, also those that students have fetched, no longer verify. " +
        "Their certificates stand, and can be fetched again with a good signature.",
      "Trust it no more",
      "Keep it",
    )
  )
    distrust.mutate(number);
}
const state = (one: Api["SigningKeyOut"]) =>
  one.distrusted
    ? `trusted no more since ${one.distrusted}`
    : one.in_use
      ? "in use"
      : one.here
        ? "for older credentials"
        : "only its public half is here, for older credentials";
</script>

<template>
  <section v-if="keys" class="sheet box">
    <h2>Keys of your certificates</h2>
    <p class="soft">
      Each certificate is signed, so that programs anywhere can verify it (Open Badges 3.0). Your school's profile for
      them: <a :href="keys.issuer" target="_blank" rel="noopener">{{ keys.issuer }}</a>
    </p>
    <ul>
      <li v-for="one in keys.items" :key="one.number">
        <div>
          <span class="postmark">Key {{ one.number }}</span
          >, {{ one.made }}
          <div class="label">{{ state(one) }}</div>
        </div>
        <button v-if="!one.distrusted" class="link" @click="ask(one.number)">Trust it no more</button>
      </li>
    </ul>
    <div><Button :loading="make.isPending.value" @click="make.mutate()">Make a new key</Button></div>
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
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  align-items: flex-start;
  padding: 6px 0;
  border-top: 1px solid #dde6ec;
}
li .link {
  white-space: nowrap;
}
a {
  text-decoration: underline;
  text-underline-offset: 3px;
}
</style>
