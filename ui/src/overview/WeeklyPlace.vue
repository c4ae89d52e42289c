<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed, ref } from "vue";

import { api, data } from "../api/client";
import PageHead from "../parts/PageHead.vue";

/** The weekly letter: as it would be now, and those that went out. */
const { data: found, error } = useQuery({
  queryKey: ["weekly-letter"],
  queryFn: () => data(api.GET("/api/weekly-letter")),
});
const chosen = ref(-1);
const shown = computed(() => (chosen.value < 0 ? found.value?.now : found.value?.past[chosen.value]));
const STATES: Record<string, string> = {
  queued: "on its way",
  posting: "on its way",
  refused: "not taken by the mail server",
  unsure: "perhaps posted: the application stopped meanwhile",
};
</script>

<template>
  <PageHead title="The weekly letter" :above="{ to: '/school', name: 'School' }"
    ><RouterLink to="/notices"><Button>Notices</Button></RouterLink></PageHead
  >
  <div class="sheets">
    <p v-if="error" role="alert" class="refused">{{ error.message }}</p>
    <template v-if="found && shown">
      <p class="soft">
        {{
          found.wanted
            ? "It is posted to you on Monday at eight by the school’s clock."
            : "It is not posted to you. Under “Notices” you can have it."
        }}
      </p>
      <nav v-if="found.past.length" class="weeks" aria-label="Which letter">
        <button class="link" :aria-current="chosen < 0" @click="chosen = -1">The last seven days</button>
        <button
          v-for="(one, at) in found.past"
          :key="at"
          class="link"
          :aria-current="chosen === at"
          @click="chosen = at"
        >
          {{ one.until.split(",")[0] }}
        </button>
      </nav>
      <article class="sheet letter">
        <div class="airmail" />
        <div class="inside">
          <header>
            <h2>{{ shown.subject }}</h2>
            <p class="label">
              the seven days until {{ shown.until
              }}<template v-if="shown.posted && STATES[shown.posted]"> · {{ STATES[shown.posted] }}</template>
            </p>
          </header>
          <section v-for="(part, at) in shown.sections" :key="at">
            <h3 v-if="part.title">{{ part.title }}</h3>
            <p v-for="line in part.lines" :key="line">{{ line }}</p>
            <RouterLink v-if="part.to" :to="part.to">{{ part.link || "Look at it" }}</RouterLink>
          </section>
        </div>
      </article>
    </template>
  </div>
</template>

<style scoped>
.sheets {
  max-width: 720px;
}
.weeks {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
}
.weeks [aria-current="true"] {
  color: var(--ink);
  font-weight: 600;
  text-decoration: none;
}
.letter {
  overflow: hidden;
}
.inside {
  padding: 18px 26px 24px;
  display: flex;
  flex-direction: column;
  gap: 16px;
  font: 16px/1.55 var(--letter);
}
h2 {
  font-size: 20px;
}
h3 {
  font-size: 15px;
}
p {
  overflow-wrap: anywhere;
}
section a {
  font: 14px var(--text);
}
.label {
  font-family: var(--text);
}
.refused {
  color: var(--red);
}
@media (max-width: 720px) {
  .inside {
    padding: 16px;
  }
}
</style>
